"""The manual of a template: its routing, keys, stems and printing, in sentences."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from lattice.analysis import Analysis
from lattice.checks.rules import rule_sentence
from lattice.model.document import Route, Stem, Strip
from lattice.model.units import channel_span, words_db

TAP_WORDS = {"pre-insert": "pre-insert", "pre-fader": "pre-fader", "post-fader": "post-fader"}


@dataclass
class Chapter:
    """A heading, an introduction, and sentences, each a line of its own."""

    heading: str
    lead: str = ""
    lines: list[str] = field(default_factory=list)


def manual(analysis: Analysis) -> list[Chapter]:
    """The written manual of a template.

    Returns
    -------
    list of Chapter
        Routing, keys, MIDI, machines, stems and printing, in sentences; empty chapters are left out.
    """
    chapters = [
        _about(analysis),
        *_sections(analysis),
        _keys(analysis),
        _midi(analysis),
        _machines(analysis),
        _stems(analysis),
        _printing(analysis),
        _apart(analysis),
        _rules(analysis),
    ]
    return [chapter for chapter in chapters if chapter.lead or chapter.lines]


def _about(analysis: Analysis) -> Chapter:
    template = analysis.template
    rate = (
        f"{template.sample_rate_hz / 1000:g} kHz, buffer {template.buffer_samples} samples, {template.tempo_bpm:g} BPM"
    )
    lines = [f"Rate: {rate}."]
    if template.frame_rate:
        start = template.timeline.start_timecode
        lines.append(f"Picture at {template.frame_rate} frames a second" + (f", from {start}." if start else "."))
    total = analysis.arrivals.total_samples
    if total is not None:
        lines.append(
            f"Latency from source to output: {total} samples, {1000 * total / template.sample_rate_hz:.1f} ms."
        )
    lines += [f"{name}: {text}." for name, text in template.info.items()]
    lines += [f"{marker.name} at bar {marker.bar}." for marker in template.timeline.markers]
    return Chapter("The template", template.note, lines)


def _sections(analysis: Analysis) -> Iterator[Chapter]:
    template = analysis.template
    for section in (*template.sections, None):
        strips = [s for s in template.strips if s.section == (section.id if section else None) and s.kind != "midi"]
        if not strips:
            continue
        bus = analysis.name(analysis.graph.index[section.bus]) if section and section.bus else ""
        lead = f"{len(strips)} strip{'s' if len(strips) > 1 else ''}" + (f"; its bus is {bus}." if bus else ".")
        yield Chapter(section.name if section else "No section", lead, [_strip(analysis, strip) for strip in strips])


def _strip(analysis: Analysis, strip: Strip) -> str:
    """A strip as a sentence: “Bells (audio, stereo) feeds Effects and sends to Long echo at −8.0 dB”."""
    strip_number = analysis.graph.index[strip.id]
    routes = [analysis.graph.routes[route] for route in analysis.graph.outs[strip_number]]
    for outlet in analysis.graph.outlets_of.get(strip_number, ()):
        routes += [analysis.graph.routes[route] for route in analysis.graph.outlet_outs[outlet]]
    said = [_leaves(analysis, strip, route) for route in routes]
    states = [word for word, on in (("disabled", not strip.in_service), ("muted", strip.mute)) if on]
    head = f"{strip.name} ({', '.join([strip.kind, strip.layout, *strip.tags, *states])})"
    chain = ", ".join(f"{insert.title}{'' if insert.state == 'on' else ' ' + insert.state}" for insert in strip.inserts)
    through = f" through {chain}," if chain and said else f" has {chain}" if chain else ""
    return f"{head}{through} {_and(said)}." if said else f"{head}{through}."


def _leaves(analysis: Analysis, strip: Strip, route: Route) -> str:
    end = analysis.name(analysis.graph.index[route.to])
    verb = {"feed": "feeds", "send": "sends to", "tie": "is tied to"}[route.kind]
    outlet = next((o for o in strip.outlets if o.id == route.from_outlet), None)
    level = "" if route.gain_db == 0 else " at −∞ dB" if route.gain_db is None else f" at {words_db(route.gain_db)} dB"
    tap = f" {TAP_WORDS[route.tap]}" if route.tap != "post-fader" and route.kind != "tie" and outlet is None else ""
    off = "" if route.enabled else " (disabled)"
    return f"{verb} {end}{f' from {outlet.name or outlet.id}' if outlet else ''}{level}{tap}{off}"


def _and(words: list[str]) -> str:
    return " and ".join(filter(None, [", ".join(words[:-1]), *words[-1:]]))


def _keys(analysis: Analysis) -> Chapter:
    lines = []
    for route in analysis.graph.keys:
        insert, key = analysis.graph.insert_of_key(route), analysis.graph.routes[route]
        strip = analysis.name(analysis.graph.head[route])
        ducked, _peak = analysis.levels.ducking(insert) if insert.key == "external" else (None, None)
        depth = f", by {ducked:.1f} dB at its expected level" if ducked else ""
        asleep = "" if insert.state == "on" and insert.key == "external" and key.enabled else " (inactive now)"
        trigger = analysis.name(analysis.graph.tail[route])
        lines.append(f"{trigger} keys {insert.title} on {strip}{depth}{asleep}.")
    return Chapter("Side-chains", "Each trigger with its insert." if lines else "", lines)


def _midi(analysis: Analysis) -> Chapter:
    lines = []
    for route in analysis.graph.midis:
        piece = analysis.graph.routes[route]
        channel = f"channel {piece.channel}" if piece.channel else "all channels"
        start, end = analysis.name(analysis.graph.tail[route]), analysis.name(analysis.graph.head[route])
        lines.append(f"{start} plays {end} on port {piece.port or 1}, {channel}.")
    return Chapter("Notes", "Each MIDI strip with its instrument." if lines else "", lines)


def _machines(analysis: Analysis) -> Chapter:
    lines = []
    for machine in analysis.template.machines:
        for kind, names in (("Input", machine.input_names), ("Output", machine.output_names)):
            lines += [f"{kind} {channel} of {machine.name} is {name}." for channel, name in names.items()]
    for strip in analysis.template.strips:
        if strip.io:
            machine = next(
                m
                for m in analysis.template.machines
                if m.id == analysis.graph.machine_of(analysis.graph.index[strip.id])
            )
            lines.append(f"{strip.name} is on {strip.kind} {channel_span(strip.io)} of {machine.name}.")
    many = len(analysis.template.machines)
    return Chapter("Machines and channels", f"{many} machine{'s' if many > 1 else ''}.", lines)


def _stems(analysis: Analysis) -> Chapter:
    return Chapter("Stems", "", [_stem(analysis, stem) for stem in analysis.template.stems])


def _stem(analysis: Analysis, stem: Stem) -> str:
    names = {one.id: one.name for one in analysis.template.stems}
    if stem.strip is None:
        return f"{stem.name} ({stem.role}, {stem.set}) is the sum of {_and([names[part] for part in stem.of])}."
    source = f"is tapped from {analysis.name(analysis.graph.index[stem.strip])} {TAP_WORDS[stem.tap]}, {stem.layout}"
    printed = f", printed on {analysis.name(analysis.graph.index[stem.print])}" if stem.print else ", not printed"
    parts = f"; its parts are {_and([names[part] for part in stem.of])}" if stem.of else ""
    return f"{stem.name} ({stem.role}, {stem.set}) {source}{printed}{parts}."


def _printing(analysis: Analysis) -> Chapter:
    """Steps, in the order in which they are done."""
    prints = list(dict.fromkeys(stem.print for stem in analysis.template.stems if stem.print))
    if not prints:
        return Chapter("How to print")
    lines = ["Check the findings first. No blocker may be open."]
    if analysis.graph.by_tag["pop"]:
        lead = analysis.template.timeline.pop_lead_s
        pop = analysis.names(analysis.graph.by_tag["pop"])
        lines.append(f"Place {pop} {lead:g} seconds before the first frame, in every stem and mix.")
    lines.append(f"Arm the {len(prints)} prints: {_and([analysis.name(analysis.graph.index[one]) for one in prints])}.")
    lines.append("Record from before the pop to the end of the last tail, all prints in one pass.")
    wanted = analysis.template.profile
    if wanted.loudness_lufs is not None:
        loudness, peak = words_db(wanted.loudness_lufs), words_db(wanted.true_peak_dbtp)
        lines.append(
            f"Measure the mixes: {loudness} LUFS within {wanted.loudness_tolerance_lu:g} LU, at most {peak} dBTP."
        )
    lines.append("Sum the stems and compare them with the mix before delivery.")
    return Chapter("How to print", "", lines)


def _apart(analysis: Analysis) -> Chapter:
    lines = []
    for tag, words in (
        ("click", "is for players only, in no stem"),
        ("reference", "is for reference only, in no stem"),
        ("guide", "is picture audio for orientation, in no stem"),
        ("talkback", "is for talkback, in no stem"),
        ("trigger", "only drives keys and must not be audible"),
        ("spare", "is a spare, routed for later"),
        ("backup", "is a backup, not routed on purpose"),
    ):
        lines += [f"{analysis.name(strip)} {words}." for strip in analysis.graph.by_tag[tag]]
    return Chapter("Excluded strips", "", lines)


def _rules(analysis: Analysis) -> Chapter:
    lines = [f"{rule.name}: {rule_sentence(analysis, rule)}." for rule in analysis.template.rules]
    return Chapter("Rules", "Every audit checks these rules." if lines else "", lines)
