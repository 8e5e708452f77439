"""Latency: late keys, limits of the compensation, monitoring, prints, and what reaches the outputs when."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from lattice.checks.finding import Finding
from lattice.checks.registry import check
from lattice.checks.scene import Scene
from lattice.model.units import samples_to_ms
from lattice.timing.monitoring import monitored
from lattice.timing.paths import Step, critical_path

SHOWN = 12


def _ms(scene: Scene, samples: float) -> float:
    return samples_to_ms(samples, scene.template.sample_rate_hz)


@check("time.key-late")
def late_keys(scene: Scene) -> Iterator[Finding]:
    """Keys that come to an insert after the sound they are to duck."""
    arrivals, compiled = scene.arrivals, scene.compiled
    for node in range(len(compiled.strips), scene.loops.first_outlet):
        number = scene.loops.insert_strips[node - len(compiled.strips)]
        insert = scene.strip(number).inserts[scene.loops.place[node]]
        audio = arrivals.at_insert(node)
        if insert.key != "external" or insert.state != "on" or audio is None:
            continue
        keys = {route: span.latest for route in arrivals.keys_to(node) if (span := arrivals.brought(route)) is not None}
        if not keys:
            continue
        latest = max(keys, key=keys.__getitem__)
        late_ms = _ms(scene, keys[latest] - audio.earliest)
        if late_ms > scene.template.profile.key_tolerance_ms:
            trigger = compiled.tail[latest]
            yield Finding(
                code="time.key-late",
                severity="warning",
                message=f"{scene.name(trigger)} comes {late_ms:.1f} ms too late to {insert.name or insert.id} on "
                f"{scene.name(number)}",
                strips=scene.ids(list(dict.fromkeys([number, trigger]))),
                routes=scene.route_ids([latest]),
                inserts=(insert.id,),
                figures={"late_ms": late_ms},
                evidence=(f"the sound is there at {audio.earliest}, the key at {keys[latest]} samples",),
            )


@check("time.limit")
def beyond_the_limit(scene: Scene) -> Iterator[Finding]:
    """Routes that need more compensation than the host gives."""
    limit = scene.template.compensation.limit_samples
    if limit is None:
        return
    for route in sorted(route for route, wanted in scene.arrivals.wants.items() if wanted > limit):
        wanted, ends = scene.arrivals.wants[route], [scene.compiled.tail[route], scene.compiled.head[route]]
        yield Finding(
            code="time.limit",
            severity="warning",
            message=f"{scene.name(ends[0])} would have to wait {wanted} samples for {scene.name(ends[1])}; "
            f"{limit} is the most the host gives",
            strips=scene.ids(ends),
            routes=scene.route_ids([route]),
            figures={"limit_samples": limit, "over_samples": wanted - limit},
            evidence=(f"{wanted - limit} samples are left over",),
        )


@check("time.monitor")
def monitoring(scene: Scene) -> Iterator[Finding]:
    """Live inputs that are heard too late by those who play."""
    limit = scene.template.profile.monitor_limit_ms
    for heard in monitored(scene.arrivals, scene.levels):
        if heard.ms(scene.template.buffer_samples) > limit:
            took = heard.ms(scene.template.buffer_samples)
            ends = [heard.source, heard.output]
            yield Finding(
                code="time.monitor",
                severity="warning",
                message=f"{scene.name(ends[0])} is heard at {scene.name(ends[1])} after {took:.1f} ms",
                strips=scene.ids(ends),
                figures={"monitor_ms": took},
                evidence=(
                    f"input {heard.input_samples}, two buffers of {scene.template.buffer_samples}, inserts "
                    f"{heard.chain_samples}, output {heard.output_samples} samples; {limit:g} ms are the limit",
                ),
            )


@check("time.unreported")
def unreported(scene: Scene) -> Iterator[Finding]:
    """Strips and inserts that take another time than they tell the host."""
    for strip in scene.compiled.strips:
        if strip.measured_latency_samples is not None and strip.measured_latency_samples != strip.latency_samples:
            yield _unreported(strip.id, strip.name, (), strip.latency_samples, strip.measured_latency_samples)
    for number, place in scene.compiled.inserts.measured:
        strip = scene.strip(number)
        insert = strip.inserts[place]
        measured = insert.measured_latency_samples
        if measured is not None and measured != insert.latency_samples:
            name = f"{insert.name or insert.id} on {strip.name}"
            yield _unreported(strip.id, name, (insert.id,), insert.latency_samples, measured)


def _unreported(strip: str, name: str, inserts: tuple[str, ...], told: int, took: int) -> Finding:
    return Finding(
        code="time.unreported",
        severity="note",
        message=f"{name} takes {took} samples and reports {told}",
        strips=(strip,),
        inserts=inserts,
        figures={"skew_samples": took - told},
        evidence=(f"{abs(took - told)} samples that no compensation knows of",),
    )


@check("time.total")
def total(scene: Scene) -> Iterator[Finding]:
    """When the last sound is at an output, and what makes it so late."""
    output, limit = scene.arrivals.latest_output, scene.template.profile.total_latency_limit_ms
    if output is None:
        return
    samples, steps = scene.arrivals.outputs[output], critical_path(scene.arrivals, output)
    ms = _ms(scene, samples)
    too_late = limit is not None and ms > limit
    over = f"; {limit:g} ms are the limit" if too_late else ""
    yield Finding(
        code="time.total",
        severity="warning" if too_late else "note",
        message=f"{samples} samples to {scene.name(output)}, {ms:.1f} ms{over}",
        strips=scene.ids([output]),
        inserts=tuple(step.id for step in steps if step.what == "insert" and step.samples),
        figures={"total_samples": samples},
        evidence=(_line(scene, steps), *[_step_words(scene, step) for step in steps if step.samples][:SHOWN]),
    )


def _line(scene: Scene, steps: list[Step]) -> str:
    return " → ".join(dict.fromkeys(scene.name(step.strip) for step in steps))


def _step_words(scene: Scene, step: Step) -> str:
    name = scene.name(step.strip)
    if step.what == "insert":
        insert = next(insert for insert in scene.strip(step.strip).inserts if insert.id == step.id)
        return f"{insert.name or insert.id} on {name}: {step.samples} samples"
    words = {"tie": "the tie line", "output": "the machine's output", "strip": "waits, or its source,"}[step.what]
    return f"{name}, {words}: {step.samples} samples"


@check("time.prints-skewed")
def prints_skewed(scene: Scene) -> Iterator[Finding]:
    """Prints of one delivery that do not line up."""
    sets: dict[str, dict[int, str]] = defaultdict(dict)
    for stem in scene.template.stems:
        number = scene.compiled.index.get(stem.print or "", -1)
        if number in scene.arrivals.prints:
            sets[stem.set][number] = stem.id
    for name, prints in sets.items():
        times = {number: scene.arrivals.prints[number].latest for number in prints}
        skew = max(times.values()) - min(times.values())
        if skew:
            late_first = sorted(times, key=lambda number: (-times[number], number))
            yield Finding(
                code="time.prints-skewed",
                severity="warning",
                message=f"the prints of {name} are up to {skew} samples apart",
                strips=scene.ids(late_first),
                stems=tuple(prints[number] for number in late_first),
                figures={"skew_samples": skew, "skew_ms": _ms(scene, skew)},
                evidence=tuple(f"{scene.name(n)} records at {times[n]} samples" for n in late_first[:SHOWN]),
            )
