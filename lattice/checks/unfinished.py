"""What is prepared and not connected yet: one issue a kind, with its fixes (docs/reference/causes.md, *Standing*)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.registry import ISSUES, IssueKind
from lattice.checks.remedies import feed_step
from lattice.graph.origin import NO_OUTLET
from lattice.model.document import OPEN_END
from lattice.model.edit_step import EditStep
from lattice.model.name_words import belong_together, is_mix_name
from lattice.model.names import with_kind
from lattice.model.strip_kinds import SUMS

NO_OUTPUT, BEGUN, OUTLETS = "no-output", "begun", "outlets"
UNFED, UNFED_ENDS = "unfed", "unfed-ends"
IDLE_POPS = "idle-pops"
OPEN_ENDS = "open-ends"
IDLE_TRIGGERS, UNPLAYED_MIDI = "idle-triggers", "unrouted-midi"


def leading_nowhere(analysis: Analysis, strip: int, stops: list[int] | None = None) -> str:
    """The issue of a strip that leads nowhere, or whose paths all end at such strips; empty where it was forgotten.

    Parameters
    ----------
    analysis
        The analysis.
    strip
        Position of the strip.
    stops
        The last strips its routes reach; None without routes.
    """
    ends = [strip] if stops is None else stops
    if ends and all(OPEN_END in analysis.strip(end).tags for end in ends):
        return OPEN_ENDS
    if not analysis.has_ends:
        return NO_OUTPUT
    if analysis.is_begun and ends and analysis.unrouted.issuperset(ends):
        return BEGUN
    if stops is None and "pop" in analysis.strip(strip).tags:
        return IDLE_POPS  # it is made first, and led to every print after that
    if strip in analysis.unrouted and len(analysis.strip(strip).outlets) > 1:
        return f"{OUTLETS}:{analysis.strip(strip).id}"
    return ""


def idle_trigger(analysis: Analysis, strip: int, outlet: int = NO_OUTLET) -> Iterator[Finding]:
    """A trigger without a key that works; nothing where its keys all feed inactive inserts: key.dormant says that."""
    keys = analysis.graph.keys_from.get(strip, ())
    if keys and all(analysis.graph.insert_of_key(route).state != "on" for route in keys):
        return
    name = analysis.source_name(strip, outlet)
    yield Finding(
        code="route.unheard" if analysis.graph.is_source[strip] else "route.dead-end",
        severity="note",
        standing="unfinished",
        issue=IDLE_TRIGGERS,
        message=f"{with_kind('Trigger', name)} feeds no key input yet",
        strips=analysis.ids([strip]),
        outlets=analysis.outlet_id(strip, outlet),
        evidence=("its keys reach no active key input" if keys else "no key route leaves it",),
    )


def feed_by_name(analysis: Analysis, numbers: Iterable[int]) -> tuple[Remedy, ...]:
    """Unfed prints fed by the strip whose name belongs with theirs, all in one edit."""
    pairs = [(start, end) for end in numbers if (start := source_by_name(analysis, end)) is not None]
    if not pairs:
        return ()
    steps = tuple(feed_step(analysis.strip(start).id, analysis.strip(end).id) for start, end in pairs)
    start, end = pairs[0]
    label = f"Feed {analysis.name(start)} to {analysis.name(end)}"
    return (Remedy(label if len(pairs) == 1 else f"Feed {len(pairs)} prints by their names", steps, "stem"),)


def source_by_name(analysis: Analysis, number: int) -> int | None:
    """The strip, section bus or strip of a stem that an unfed print is named after; None without exactly one."""
    graph, printed = analysis.graph, analysis.strip(number)
    if printed.kind != "print" or graph.ins[number]:
        return None
    alike = [n for n in graph.by_kind["print"] if not graph.ins[n] and analysis.name(n) == printed.name]
    if len(alike) > 1:
        return None
    template = analysis.template
    strips = {s.id: s.name for s in graph.strips if s.traits.leaves_by_routes and s.kind != "print" and s.in_service}
    named: tuple[dict[str, str], ...] = (
        strips,
        {section.bus: section.name for section in template.sections if section.bus},
        {stem.strip: stem.name for stem in template.stems if stem.strip},
    )
    for others in named:
        found = belong_together(printed.name, others)
        if found is not None:
            start = graph.index[found]
            return start if analysis.may_feed(start, number) and number != start else None
    last = analysis.destinations.last_sum
    return last if is_mix_name(printed.name) and last is not None and analysis.may_feed(last, number) else None


# one issue a kind


def _strips_of(analysis: Analysis, findings: Sequence[Finding]) -> list[str]:
    """The strips to wire: those of the findings, and the ends of their paths."""
    index = analysis.graph.index
    about = dict.fromkeys(strip for one in findings for strip in (*one.strips[:1], *one.cause) if strip in index)
    return [strip for strip in about if index[strip] in analysis.unrouted]


def _no_output_words(_analysis: Analysis, findings: Sequence[Finding]) -> str:
    """“14 sources reach no output: there is none yet”."""
    sources = sum(one.code != "route.dead-end" for one in findings)
    subject = _many(sources, "source") if sources else _many(len(findings), "bus", "buses")
    is_one = (sources or len(findings)) == 1
    return f"{subject} reach{'es' if is_one else ''} no output: there is none yet"


def _no_output_fixes(analysis: Analysis, findings: Sequence[Finding]) -> Iterator[Remedy]:
    strips = _strips_of(analysis, findings)
    if strips:
        masters = analysis.graph.by_kind["master"]
        mix = analysis.name(masters[0]) if masters else "a new mix"
        yield Remedy(f"Wire up to {mix} and a new output", (EditStep("wire_up", {"strips": strips}),))


def _begun_words(analysis: Analysis, findings: Sequence[Finding]) -> str:
    strips = [analysis.graph.index[strip] for strip in _strips_of(analysis, findings)]
    if len(findings) == 1:
        return findings[0].message
    sums = sum(analysis.strip(n).kind in SUMS for n in strips)
    what = ("bus", "buses") if sums == len(strips) else ("strip", "strips") if sums else ("track", "tracks")
    return f"{_many(len(strips), *what)} lead{'s' if len(strips) == 1 else ''} nowhere yet"


def _begun_fixes(analysis: Analysis, findings: Sequence[Finding]) -> Iterator[Remedy]:
    strips = _strips_of(analysis, findings)
    if len(strips) > 1 or any(one.outlets for one in findings):
        label = "Add a strip for each outlet" if len(strips) == 1 else "Wire up what leads nowhere"
        yield Remedy(label, (EditStep("wire_up", {"strips": strips}),))
    else:
        yield from findings[0].remedies


def _outlet_words(analysis: Analysis, findings: Sequence[Finding]) -> str:
    return (
        f"{_many(len(findings), 'outlet')} of {analysis.name(analysis.graph.index[findings[0].strips[0]])} lead nowhere"
    )


def _outlet_fixes(_analysis: Analysis, findings: Sequence[Finding]) -> Iterator[Remedy]:
    yield Remedy("Add a strip for each outlet", (EditStep("wire_up", {"strips": [findings[0].strips[0]]}),))


def _open_end_words(_analysis: Analysis, findings: Sequence[Finding]) -> str:
    return f"{_many(len(findings), 'strip')} of blocks {'has' if len(findings) == 1 else 'have'} an open end"


def _open_end_fixes(analysis: Analysis, findings: Sequence[Finding]) -> Iterable[Remedy]:
    if len(findings) == 1:
        return findings[0].remedies
    return (Remedy("Wire up what leads nowhere", (EditStep("wire_up", {"strips": _strips_of(analysis, findings)}),)),)


def _own_words(_analysis: Analysis, findings: Sequence[Finding]) -> str:
    return findings[0].message


def _own_fixes(_analysis: Analysis, findings: Sequence[Finding]) -> Iterable[Remedy]:
    return findings[0].remedies


def _unfed_end_words(_analysis: Analysis, findings: Sequence[Finding]) -> str:
    if len(findings) == 1:
        return findings[0].message
    return f"{len(findings)} prints or outputs have no source"


def _unfed_end_fixes(analysis: Analysis, findings: Sequence[Finding]) -> Iterable[Remedy]:
    return feed_by_name(analysis, [analysis.graph.index[one.strips[0]] for one in findings])


def _trigger_words(_analysis: Analysis, findings: Sequence[Finding]) -> str:
    return findings[0].message if len(findings) == 1 else f"{len(findings)} triggers feed no key input yet"


def _midi_words(_analysis: Analysis, findings: Sequence[Finding]) -> str:
    return findings[0].message if len(findings) == 1 else f"{len(findings)} MIDI strips have no instrument yet"


def _many(number: int, one: str, several: str = "") -> str:
    return f"{number} {one if number == 1 else several or f'{one}s'}"


ISSUES.update(
    {
        kind.name: kind
        for kind in (
            IssueKind(NO_OUTPUT, "route.unheard", _no_output_words, _no_output_fixes),
            IssueKind(BEGUN, "route.unheard", _begun_words, _begun_fixes),
            IssueKind(OUTLETS, "route.outlet-unheard", _outlet_words, _outlet_fixes),
            IssueKind(OPEN_ENDS, "route.unheard", _open_end_words, _open_end_fixes),
            IssueKind(UNFED, "route.unfed", _own_words, _own_fixes),
            IssueKind(UNFED_ENDS, "route.unfed", _unfed_end_words, _unfed_end_fixes),
            IssueKind(IDLE_TRIGGERS, "route.unheard", _trigger_words, lambda _analysis, _findings: ()),
            IssueKind(IDLE_POPS, "route.unheard", _own_words, _own_fixes),
            IssueKind(UNPLAYED_MIDI, "midi.no-instrument", _midi_words, lambda _analysis, _findings: ()),
        )
    }
)
