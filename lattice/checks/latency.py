"""Latency: late keys, limits of the compensation, monitoring, prints, and arrivals at the outputs."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, first_of
from lattice.checks.registry import check, explain
from lattice.checks.remedies import measured_remedy
from lattice.latency.monitoring import monitored
from lattice.latency.paths import PathStep, critical_path
from lattice.model.document import Strip
from lattice.model.units import samples_to_ms

SHOWN = 12


def _ms(analysis: Analysis, samples: float) -> float:
    return samples_to_ms(samples, analysis.template.sample_rate_hz)


@check("time.key-late")
def late_keys(analysis: Analysis) -> Iterator[Finding]:
    """Keys that reach an insert after the sound they should duck."""
    arrivals, graph = analysis.arrivals, analysis.graph
    for node in range(len(graph.strips), analysis.loops.first_outlet):
        strip_number = analysis.loops.insert_strips[node - len(graph.strips)]
        insert = analysis.strip(strip_number).inserts[analysis.loops.place[node]]
        audio = arrivals.at_insert(node)
        if insert.key != "external" or insert.state != "on" or audio is None:
            continue
        keys = {route: span.latest for route in arrivals.keys_to(node) if (span := arrivals.brought(route)) is not None}
        if not keys:
            continue
        latest = max(keys, key=keys.__getitem__)
        late_ms = _ms(analysis, keys[latest] - audio.earliest)
        if late_ms > analysis.template.profile.key_tolerance_ms:
            trigger = graph.tail[latest]
            yield Finding(
                code="time.key-late",
                severity="warning",
                message=f"Key {analysis.name(trigger)} is {late_ms:.1f} ms late at {insert.name or insert.id} on "
                f"{analysis.name(strip_number)}",
                strips=analysis.ids(list(dict.fromkeys([strip_number, trigger]))),
                routes=analysis.route_ids([latest]),
                inserts=(insert.id,),
                figures={"late_ms": late_ms},
                evidence=(f"the signal arrives at {audio.earliest}, the key at {keys[latest]} samples",),
            )


@check("time.limit")
def beyond_the_limit(analysis: Analysis) -> Iterator[Finding]:
    """Routes that need more compensation than the host gives."""
    limit = analysis.template.compensation.limit_samples
    if limit is None:
        return
    for route in sorted(route for route, wanted in analysis.arrivals.wants.items() if wanted > limit):
        wanted, ends = analysis.arrivals.wants[route], [analysis.graph.tail[route], analysis.graph.head[route]]
        yield Finding(
            code="time.limit",
            severity="warning",
            message=f"{analysis.name(ends[0])} into {analysis.name(ends[1])} needs {wanted} samples of compensation "
            f"(limit {limit})",
            strips=analysis.ids(ends),
            routes=analysis.route_ids([route]),
            figures={"limit_samples": limit, "over_samples": wanted - limit},
            evidence=(f"{wanted - limit} samples over the limit",),
        )


@check("time.monitor")
def monitoring(analysis: Analysis) -> Iterator[Finding]:
    """Live inputs with too much latency for the players."""
    limit = analysis.template.profile.monitor_limit_ms
    for heard in monitored(analysis.arrivals, analysis.levels):
        if heard.ms(analysis.template.buffer_samples) > limit:
            actual = heard.ms(analysis.template.buffer_samples)
            ends = [heard.source, heard.output]
            yield Finding(
                code="time.monitor",
                severity="warning",
                message=f"Monitoring {analysis.name(ends[0])} at {analysis.name(ends[1])}: {actual:.1f} ms "
                f"(limit {limit:g} ms)",
                strips=analysis.ids(ends),
                figures={"monitor_ms": actual},
                evidence=(
                    f"input {heard.input_samples}, two buffers of {analysis.template.buffer_samples}, inserts "
                    f"{heard.chain_samples}, output {heard.output_samples} samples; limit {limit:g} ms",
                ),
            )


@check("time.unreported")
def unreported(analysis: Analysis) -> Iterator[Finding]:
    """Strips and inserts that take another time than they tell the host."""
    for strip in analysis.graph.strips:
        if strip.measured_latency_samples is not None and strip.measured_latency_samples != strip.latency_samples:
            yield _unreported(strip, strip.name, None, strip.latency_samples, strip.measured_latency_samples)
    for strip_number, place in analysis.graph.inserts.measured:
        strip = analysis.strip(strip_number)
        insert = strip.inserts[place]
        measured = insert.measured_latency_samples
        if measured is not None and measured != insert.reported_samples:
            name = f"{insert.name or insert.id} on {strip.name}"
            yield _unreported(strip, name, insert.id, insert.reported_samples, measured)


def _unreported(strip: Strip, name: str, insert: str | None, reported: int, actual: int) -> Finding:
    return Finding(
        code="time.unreported",
        severity="note",
        message=f"{name} takes {actual} samples but reports {reported}",
        strips=(strip.id,),
        inserts=(insert,) if insert else (),
        figures={"skew_samples": actual - reported},
        evidence=(f"{abs(actual - reported)} samples are not compensated",),
        remedies=(measured_remedy(name, strip.id, insert, actual),),
    )


@check("time.total")
def total(analysis: Analysis) -> Iterator[Finding]:
    """The last arrival at an output, and its cause."""
    output, limit = analysis.arrivals.latest_output, analysis.template.profile.total_latency_limit_ms
    if output is None:
        return
    samples, steps = analysis.arrivals.outputs[output], critical_path(analysis.arrivals, output)
    ms = _ms(analysis, samples)
    if not samples:
        return
    too_late = limit is not None and ms > limit
    over = f"; limit {limit:g} ms" if too_late else ""
    yield Finding(
        code="time.total",
        severity="warning" if too_late else "note",
        message=f"Total latency to {analysis.name(output)}: {samples} samples ({ms:.1f} ms{over})",
        strips=analysis.ids([output]),
        inserts=tuple(step.id for step in steps if step.what == "insert" and step.samples),
        figures={"total_samples": samples},
        evidence=(_line(analysis, steps), *[_step_words(analysis, step) for step in steps if step.samples][:SHOWN]),
    )


def _line(analysis: Analysis, steps: list[PathStep]) -> str:
    return " → ".join(dict.fromkeys(analysis.name(step.strip) for step in steps))


def _step_words(analysis: Analysis, step: PathStep) -> str:
    name = analysis.name(step.strip)
    if step.what == "insert":
        insert = next(insert for insert in analysis.strip(step.strip).inserts if insert.id == step.id)
        return f"{insert.name or insert.id} on {name}: {step.samples} samples"
    words = {"tie": "the tie", "output": "the machine output", "strip": "compensation or source"}[step.what]
    return f"{name}, {words}: {step.samples} samples"


@check("latency.unstated")
def unstated(analysis: Analysis) -> Iterator[Finding]:
    """Inserts whose latency nobody stated: the total leaves them out."""
    found = [
        (strip, insert)
        for strip in analysis.graph.strips
        for insert in strip.inserts
        if insert.latency_samples is None and insert.state != "unloaded"
    ]
    if found:
        many = f"{len(found)} inserts have" if len(found) > 1 else f"{found[0][1].title} on {found[0][0].name} has"
        yield Finding(
            code="latency.unstated",
            severity="note",
            message=f"{many} no stated latency; the total leaves {'them' if len(found) > 1 else 'it'} out",
            strips=tuple(dict.fromkeys(strip.id for strip, _insert in found)),
            inserts=tuple(insert.id for _strip, insert in found),
            figures={"inserts": len(found)},
            evidence=first_of([f"{insert.title} on {strip.name}" for strip, insert in found]),
            cause=("unstated",),
        )


@check("time.prints-skewed")
def prints_skewed(analysis: Analysis) -> Iterator[Finding]:
    """Prints of one delivery that do not line up."""
    sets: dict[str, dict[int, str]] = defaultdict(dict)
    for stem in analysis.template.stems:
        strip_number = analysis.graph.index.get(stem.print or "", -1)
        if strip_number in analysis.arrivals.prints:
            sets[stem.set][strip_number] = stem.id
    for name, prints in sets.items():
        times = {strip_number: analysis.arrivals.prints[strip_number].latest for strip_number in prints}
        skew = max(times.values()) - min(times.values())
        if skew:
            late_first = sorted(times, key=lambda strip_number: (-times[strip_number], strip_number))
            yield Finding(
                code="time.prints-skewed",
                severity="warning",
                message=f"The prints of {name} are up to {skew} samples apart",
                strips=analysis.ids(late_first),
                stems=tuple(prints[strip_number] for strip_number in late_first),
                figures={"skew_samples": skew, "skew_ms": _ms(analysis, skew)},
                evidence=tuple(f"{analysis.name(n)} records at {times[n]} samples" for n in late_first[:SHOWN]),
            )


explain(
    "time.key-late",
    many="{n} keys are late",
    found="A key arrives after the signal it controls.",
    why="The attack passes before the ducking starts.",
    how="The latest key is compared with the earliest signal at the insert, and with the tolerance of the profile.",
    fix="Tap the key earlier, or remove latency from its path.",
    decide="Only you know whether the delay is intended. Measure the latencies, or move the key.",
    place="timing",
)

explain(
    "time.limit",
    many="{n} routes need too much compensation",
    found="A route needs more delay compensation than the host provides.",
    why="The signal arrives early by the remainder.",
    how="The compensation of every route is compared with the limit.",
    fix="Remove latency from the longest path.",
    decide="The host cannot compensate that much. Use inserts with less latency on this path.",
    place="timing",
)

explain(
    "time.monitor",
    many="{n} live inputs are late",
    found="A live input reaches an output later than the profile allows.",
    why="Players hear themselves late and drag.",
    how="Input latency, two buffers, the slowest chain on the path and output latency are added, without compensation.",
    fix="Remove latency from the path, or reduce the buffer size.",
    decide="Only you know the inserts you can spare. Use a smaller buffer, or monitor before them.",
    place="timing",
)

explain(
    "time.unreported",
    many="{n} latencies differ from the reported ones",
    found="The measured latency of an insert differs from its reported latency.",
    why="The host does not compensate the difference.",
    how="Measured samples minus reported samples.",
    fix="Set the latency to the measured value.",
)

explain(
    "time.total",
    many="{n} outputs are late",
    found="The total latency of the template to its latest output, and its critical path.",
    why="Picture and players are ahead of the audio by this time.",
    how=(
        "The latest actual arrival at an output plus the output latency of its machine. The critical path lists "
        "each insert."
    ),
    fix="Remove the insert with the longest latency from the critical path.",
    decide="Only you know the inserts you can spare. See the critical path on Timing.",
    place="timing",
)

explain(
    "latency.unstated",
    many="{n} inserts have no stated latency",
    found="Inserts without a stated latency, counted once for the template.",
    why="They count as 0 samples. The real total may be larger.",
    how="Loaded inserts whose latency is empty are counted.",
    fix="Enter the latency the host reports, or apply a latency list.",
)

explain(
    "time.prints-skewed",
    many="{n} sets of prints are misaligned",
    found="Prints of one delivery record at different times.",
    why="The stems do not align side by side.",
    how="The latest actual arrivals at all prints are compared.",
    fix="Let the host compensate prints, or remove the late insert.",
    decide="Only you know whether the files are aligned later. See the paths on Timing.",
    place="timing",
)
