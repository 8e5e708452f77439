"""What is prepared, and levels that nobody stated: kept for later, or stated."""

from __future__ import annotations

from typing import Any

from msgspec import UNSET
from msgspec.structs import replace

from lattice.edits.arguments import Level, Pieces
from lattice.edits.described import edit
from lattice.edits.pieces import all_known
from lattice.errors import EditError
from lattice.model.document import USUAL_SOURCE, Source, Strip, Template, main_outlet

SPARE = "spare"


@edit(Pieces("strips"), says="Keep {strips} for later")
def keep_for_later(template: Template, strips: list[str]) -> Template:
    """Strips tagged spare: they wait for a source, and are no finding until one reaches them."""
    wanted = all_known(template.strips, strips, "strip")
    after = tuple(
        replace(strip, tags=(*strip.tags, SPARE)) if strip.id in wanted and SPARE not in strip.tags else strip
        for strip in template.strips
    )
    if after == template.strips:
        raise EditError("these strips are kept for later already")
    return replace(template, strips=after)


def _stated_words(_template: Template, arguments: dict[str, Any]) -> str:
    many = len(arguments["strips"])
    return f"State the levels of {many} source{'' if many == 1 else 's'}"


@edit(
    Pieces("strips"),
    Level("peak_dbfs", "peak", default=USUAL_SOURCE.peak_dbfs, unit="dBFS"),
    Level("rms_dbfs", "RMS", default=USUAL_SOURCE.rms_dbfs, unit="dBFS"),
    says=_stated_words,
)
def state_levels(
    template: Template,
    strips: list[str],
    peak_dbfs: float | None = USUAL_SOURCE.peak_dbfs,
    rms_dbfs: float | None = USUAL_SOURCE.rms_dbfs,
) -> Template:
    """A level for each source of some strips that states none; stated ones stay."""
    wanted = all_known(template.strips, strips, "strip")
    if peak_dbfs is None or rms_dbfs is None:
        raise EditError("a level in dBFS is needed for peak and RMS")
    source = Source(peak_dbfs=peak_dbfs, rms_dbfs=rms_dbfs)
    after = tuple(_stated(strip, source) if strip.id in wanted else strip for strip in template.strips)
    if after == template.strips:
        raise EditError("the levels of these sources are stated already")
    return replace(template, strips=after)


def _stated(strip: Strip, source: Source) -> Strip:
    if not strip.traits.plays:
        return strip
    main = main_outlet(strip)
    outlets = tuple(
        replace(outlet, source=source) if outlet.source is UNSET and outlet is not main else outlet
        for outlet in strip.outlets
    )
    if strip.source is None:
        return strip
    return replace(strip, outlets=outlets, source=source if strip.source is UNSET else strip.source)
