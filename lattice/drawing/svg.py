"""The drawing as SVG: the same for the screen, for export and for print.

On the screen the page's style sheet colours it; `standalone` adds a style of its own.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from xml.sax.saxutils import escape, quoteattr
from zlib import crc32

from lattice.drawing.drawing import FIGURE_LETTER, Band, Box, Line, Sheet, Stub
from lattice.drawing.text import cut
from lattice.model.tiers import BY_TIER, TIER_COLOURS

MARK_ASIDE = 8.0  # a mark is beside its box, over the incoming line
FULL_SIZE_UP_TO = 99  # numbers of three digits are written smaller in their marks
TITLE_WIDTH, TITLE_ROW = 344.0, 26.0
STUB_LEAST = 12.0  # px for the words behind a short end: an arrow at least
LEGEND = ("feed", "send", "key", "midi", "tie", "loop")
FIGURES = ("layout", "fader", "routes", "level", "arrival")
MARKS = {
    "blocker": "M-6,-5 H6 L0,6 Z",
    "warning": "M0,-6.5 L6.5,0 L0,6.5 L-6.5,0 Z",
    "note": "M5.5,0 A5.5,5.5 0 1 1 -5.5,0 A5.5,5.5 0 1 1 5.5,0 Z",
    "unfinished": "M-5.2,-5.2 H5.2 V5.2 H-5.2 Z",  # these two say what is to do or unknown, and do not alarm
    "assumed": "M-7,0 L-3.6,-5.6 H3.6 L7,0 L3.6,5.6 H-3.6 Z",
}

STYLE = """
svg{background:#F6F3EB;font-family:'Barlow Semi Condensed','Arial Narrow',sans-serif;font-size:12px;fill:#1E2930}
.m{font-family:'IBM Plex Mono',monospace;font-size:10.5px}.q{fill:#5C6870}.frame,.tb{fill:none;stroke:#1E2930}
.hair{stroke:#E6E0D2}.box rect:not(.edge){fill:#FBF9F4;stroke:#1E2930}
.spare rect{stroke-dasharray:3 2}.out text{fill:#5C6870}
.l{fill:none;stroke:#1E2930;stroke-width:1.2;stroke-linejoin:round}.send{stroke:#0B5F66;stroke-dasharray:5 3}
.key{stroke:#8A5A00;stroke-dasharray:1.5 3}.midi{stroke:#4A6076;stroke-width:3.4}
.midi-in{stroke:#F6F3EB;stroke-width:1.4}
.tie{stroke-dasharray:9 3 1.5 3}.loop{stroke:#A32A18;stroke-width:2.2}.dot{stroke:none;fill:#1E2930}
.joint{fill:none;stroke:#1E2930;stroke-width:4;stroke-linecap:round}
.stub{font-size:10px;fill:#5C6870;stroke:#F6F3EB;stroke-width:3px;paint-order:stroke}
.hit{fill:none}.mark.blocker path{fill:#A32A18}.mark.warning path{fill:#8A5A00}
.mark.note path,.mark.unfinished path,.mark.assumed path{fill:#F6F3EB;stroke:#4A6076}
.mark.unfinished path{stroke-dasharray:3 1.8}
.mark text{fill:#F6F3EB;font-size:8px;text-anchor:middle}.mark text.long{font-size:6.5px}
.mark.note text,.mark.unfinished text,.mark.assumed text{fill:#4A6076}.e{text-anchor:end}
.machine{fill:none;stroke:#5C6870;stroke-dasharray:9 3 1.5 3}.machine-name{font-size:10px}.bandname{font-size:11px}
.thin{stroke-width:.6}.tb-label{font-size:9px}.tb-title{font-size:14px;font-weight:600}
"""


@dataclass(frozen=True)
class Mark:
    """A finding where it is: its severity (or unfinished, assumed), its number in the list, its fingerprint."""

    severity: str
    number: int
    fingerprint: str = ""


@dataclass(frozen=True)
class Pieces:
    """The drawing in the pieces that a page replaces one by one.

    Attributes
    ----------
    opening
        The element itself with its size.
    frame
        Frame, columns, bands, machines and legend.
    lines, boxes
        (id of the element, element) of every line and box, in the order in which they are drawn.
    title_block
        The title block.
    """

    opening: str
    frame: str
    lines: list[tuple[str, str]]
    boxes: list[tuple[str, str]]
    title_block: str

    def whole(self, marked: Mapping[str, str] | None = None) -> str:
        """The SVG text; `marked` are attributes of its groups, by their ids."""

        def group(name: str, *inside: str) -> str:
            return f'<g id="{name}"{(marked or {}).get(name, "")}>{"".join(inside)}</g>'

        return "".join(
            (
                self.opening,
                group("frame", self.frame),
                group("lines", *(line for _id, line in self.lines)),
                group("overlay"),
                group("boxes", *(box for _id, box in self.boxes)),
                group("title", self.title_block),
                "</svg>",
            )
        )


class Kept:
    """Cached pieces of a drawing: only changed ones are written again."""

    def __init__(self) -> None:
        self._lines: tuple[tuple[Line, ...], list[tuple[str, str]]] = (), []
        self._drawn: dict[str, tuple[Line, str]] = {}
        self._boxes: dict[str, tuple[Box, Mark | None, str, tuple[str, str]]] = {}

    def copy(self) -> Kept:
        """For another sheet that has much in common with this one."""
        made = Kept()
        made._lines = self._lines
        made._drawn, made._boxes = self._drawn.copy(), self._boxes.copy()
        return made

    def lines_of(self, sheet: Sheet) -> list[tuple[str, str]]:
        """(id, element) of every line; a line that is drawn the same has the same id."""
        lines, drawn_lines = self._lines
        if lines is not sheet.lines:
            made: dict[str, str] = {}
            for line in sheet.lines:
                drawn = self._line(line)
                key = f"w-{crc32(drawn.encode()):x}"
                while key in made:
                    key += "x"
                made[key] = f'<g id="{key}">{drawn}</g>'
            drawn_lines = list(made.items())
            self._lines = sheet.lines, drawn_lines  # at once: several threads draw
        return drawn_lines

    def _line(self, line: Line) -> str:
        known = self._drawn.get(line.key)
        if known is None or known[0] != line:
            known = self._drawn[line.key] = line, "".join(_line(line))
        return known[1]

    def box(self, box: Box, mark: Mark | None, shown: str) -> tuple[str, str]:
        """(id, element) of a box."""
        known = self._boxes.get(box.id)
        if known is None or known[:3] != (box, mark, shown):
            known = self._boxes[box.id] = box, mark, shown, (f"b-{box.id}", "".join(_box(box, mark, shown)))
        return known[3]


def pieces(
    sheet: Sheet,
    facts: Sequence[tuple[str, str]] = (),
    title: str = "",
    marks: Mapping[str, Mark] | None = None,
    *,
    figure: str = "layout",
    values: Mapping[str, str] | None = None,
    colours: str = "",
    standalone: bool = False,
    kept: Kept | None = None,
) -> Pieces:
    """A sheet as SVG, in pieces; `Pieces.whole` is its text.

    Parameters
    ----------
    sheet
        The drawing.
    facts
        Label and value of each cell of the title block.
    title
        The template's name.
    marks
        Box id → the finding marked there.
    figure
        Which figure boxes show, one of FIGURES.
    values
        Strip id → its figure, for those that are computed.
    colours
        How colours go, for the legend (`model.tiers.colouring`); empty leaves it out.
    standalone
        Whether it is a file of its own, with its style in it; else the page has that.
    kept
        The pieces of this drawing, or of one that it was restyled from. New pieces are added to it.
    """
    kept = kept if kept is not None else Kept()
    marks, values = marks or {}, values or {}
    size = f'width="{sheet.width:g}" height="{sheet.height:g}" viewBox="0 0 {sheet.width:g} {sheet.height:g}"'
    label = quoteattr("Map of " + title)
    opening = [
        f'<svg xmlns="http://www.w3.org/2000/svg" id="sheet" class="sheet" {size} role="group" aria-label={label}>'
    ]
    if standalone:
        opening.append(f"<style>{STYLE}</style>")
    frame = _frame(sheet) + _machines(sheet)
    if sheet.boxes:  # an empty drawing has no lines to distinguish
        frame += [*_legend(sheet), *_colours(sheet, colours)]
    return Pieces(
        "".join(opening),
        f'<g id="frame-lines">{"".join(frame)}</g>',
        [*kept.lines_of(sheet), *map(_stub, sheet.stubs)],
        [kept.box(box, marks.get(box.id), values.get(box.id, box.figures.get(figure, ""))) for box in sheet.boxes],
        "".join(_title_block(sheet, facts, title)),
    )


def _machines(sheet: Sheet) -> list[str]:
    out = []
    for frame in sheet.frames:
        size = f'width="{frame.width:g}" height="{frame.height:g}"'
        foot = frame.y + frame.height + 9
        out.append(f'<rect class="machine" x="{frame.x:g}" y="{frame.y:g}" {size}/>')
        out.append(f'<text class="machine-name q" x="{frame.x + 2:g}" y="{foot:g}">{escape(frame.name)}</text>')
    return out


def _frame(sheet: Sheet) -> list[str]:
    right, bottom = sheet.width - 8, sheet.height - 8
    out = [f'<rect class="frame" x="34" y="18" width="{right - 34:g}" height="{bottom - 18:g}"/>']
    out.append(f'<line class="rule" x1="34" x2="{right:g}" y1="46" y2="46"/>')
    for column in sheet.columns:
        middle = column.x + min(column.width, right - column.x) / 2
        out.append(f'<text class="m q" x="{middle:g}" y="12" text-anchor="middle">{column.number}</text>')
        out.append(f'<text class="head q" x="{column.x + 8:g}" y="36">{escape(column.name)}</text>')
        if column.number > 1:
            out.append(f'<line class="hair" x1="{column.x:g}" x2="{column.x:g}" y1="18" y2="{bottom - 118:g}"/>')
    for band in sheet.bands:
        out += _band(band, right)
    return out


def _band(band: Band, right: float) -> list[str]:
    middle, foot = band.y + band.height / 2 + 8, band.y + band.height
    colour = f' fill="{band.colour}"' if band.colour else ""
    fold = "open" if band.folded else "fold"
    label = escape(band.name)
    return [
        f'<line class="hair" x1="34" x2="{right:g}" y1="{foot:g}" y2="{foot:g}"/>',
        f'<rect class="edge" x="35" y="{band.y + 2:g}" width="4" height="{band.height - 4:g}"{colour}/>',
        f'<g class="band" data-section={quoteattr(band.id)} data-fold="{fold}"><title>{label}</title>'
        f'<rect class="hit" x="4" y="{band.y:g}" width="36" height="{band.height:g}"/>',
        f'<text class="m q" x="22" y="{band.y + 14:g}" text-anchor="middle">{band.letter}</text>',
        f'<text class="bandname q" transform="translate(26 {middle:g}) rotate(-90)" text-anchor="middle">'
        f"{escape(cut(band.name, band.height - 22, 11)) if band.height > 60 else ''}</text></g>",
    ]


def _line(line: Line) -> list[str]:
    kind = "loop" if line.feedback else line.kind
    path = "".join(f"M{x1:g},{y1:g}{_straight(x1, y1, x2, y2)}" for x1, y1, x2, y2 in line.segments)
    out = [f'<path class="l {kind}" d="{path}"/>']
    if kind == "midi":
        out.append(f'<path class="l midi-in" d="{path}"/>')
    if line.dots:
        dots = "".join(f"M{x:g},{y:g}h0" for x, y in line.dots)
        out.append(f'<path class="joint {kind}-joint" d="{dots}"/>')
    if line.arrow:
        x, y = line.arrow
        out.append(f'<path class="dot loop-dot" d="M{x - 7:g},{y - 3.5:g}L{x:g},{y:g}L{x - 7:g},{y + 3.5:g}Z"/>')
    return out


def _stub(stub: Stub) -> tuple[str, str]:
    """(id, element) of a short end."""
    beside = stub.x + stub.dx + (3 if stub.dx > 0 else -3)
    end = "" if stub.dx > 0 else " e"
    words = escape(cut(stub.words, max(stub.room, STUB_LEAST), 10))
    drawn = (
        f'<path class="l {stub.kind}" d="M{stub.x:g},{stub.y:g}h{stub.dx:g}"/>'
        f'<text class="stub{end}" x="{beside:g}" y="{stub.y + 3:g}">{words}</text>'
        f"<title>{escape(stub.names)}</title>"
    )
    key = f"x-{crc32(drawn.encode()):x}"
    return key, f'<g id="{key}" class="stub-end">{drawn}</g>'


def _straight(x1: float, y1: float, x2: float, y2: float) -> str:
    if y1 == y2:
        return f"H{x2:g}"
    return f"V{y2:g}" if x1 == x2 else f"L{x2:g},{y2:g}"


def _box(box: Box, mark: Mark | None, shown: str) -> list[str]:
    classes = [
        "box",
        f"k-{box.kind}",
        *(name for name in ("spare", "out") if getattr(box, name)),
        *([mark.severity] if mark else []),
    ]
    kind = box.kind if box.strip else f"section of {len(box.members)} strips, collapsed"
    described = f"{box.name}, {kind}, {box.zone}"
    described += f", {mark.severity}" if mark else ""
    band = f" data-band={quoteattr(box.band)}" if box.band else ""
    out = [
        f'<g class="{" ".join(classes)}" id={quoteattr("b-" + box.id)} data-id={quoteattr(box.id)}'
        f' data-zone="{box.zone}"{band}'
        f' tabindex="-1" role="button" aria-label={quoteattr(described)}>'
    ]
    x, y = box.x, box.y
    if not box.strip:
        out.append(f'<rect class="back" x="{x + 3:g}" y="{y - 3:g}" width="{box.width:g}" height="{box.height:g}"/>')
    out.append(f'<rect x="{x:g}" y="{y:g}" width="{box.width:g}" height="{box.height:g}"/>')
    if box.colour:
        out.append(f'<rect class="edge" x="{x:g}" y="{y:g}" width="4" height="{box.height:g}" fill="{box.colour}"/>')
    beside = max((len(name[:8]) for _y, name, _open in box.outlets), default=len(shown))
    room = box.width - 13 - (FIGURE_LETTER * beside + 2 if beside else 0)
    out.append(f'<text x="{x + 8:g}" y="{y + 13.3:g}">{escape(cut(box.name, room))}</text>')
    for middle, name, is_open in box.outlets:
        state = "" if is_open else " shut"
        out.append(f'<text class="m q e{state}" x="{x + box.width - 4:g}" y="{middle + 4:g}">{escape(name[:8])}</text>')
    if shown and not box.outlets:
        out.append(f'<text class="m q e" x="{x + box.width - 4:g}" y="{y + 13:g}">{escape(shown)}</text>')
    out.append(f"<title>{escape(box.name)} · {box.zone}</title>")
    if mark:
        long = ' class="long"' if mark.number > FULL_SIZE_UP_TO else ""
        out.append(
            f'<g class="mark {mark.severity}" data-finding="{mark.fingerprint}"'
            f' transform="translate({x - MARK_ASIDE:g} {y:g})"><g class="mark-size" transform="scale(1.25)">'
            f'<path d="{MARKS[mark.severity]}"/>'
            f'<text y="2.8" data-no="{mark.fingerprint}"{long}>{mark.number}</text></g></g>'
        )
    out.append("</g>")
    return out


def _legend(sheet: Sheet) -> list[str]:
    y = sheet.height - 8 - 84
    out = [f'<text class="q" x="42" y="{y - 6:g}">Routes</text>']
    for index, kind in enumerate(LEGEND):
        x, row = 42 + (index % 3) * 92, y + 14 + (index // 3) * 20
        path = f"M{x:g},{row:g}h30"
        inside = f'<path class="l midi-in" d="{path}"/>' if kind == "midi" else ""
        out.append(
            f'<g class="legend" data-kind="{kind}" tabindex="0" role="button" aria-label="Only {kind} routes">'
            f'<rect class="hit" x="{x - 4:g}" y="{row - 10:g}" width="88" height="20"/>'
            f'<path class="l {kind}" d="{path}"/>{inside}<text x="{x + 38:g}" y="{row + 4:g}">{kind}</text></g>'
        )
    return out


def _colours(sheet: Sheet, colours: str) -> list[str]:
    """How colours go, beside the routes; by tier with the colour of each."""
    if not colours:
        return []
    x, y = 42 + 3 * 92 + 24, sheet.height - 8 - 84
    out = [f'<text class="q" x="{x:g}" y="{y - 6:g}">Colours {colours}</text>']
    for index, (tier, colour) in enumerate(TIER_COLOURS.items() if colours == BY_TIER else ()):
        left, row = x + (index // 3) * 110, y + 14 + (index % 3) * 20
        out.append(f'<rect x="{left:g}" y="{row - 5:g}" width="10" height="10" fill="{colour}"/>')
        out.append(f'<text x="{left + 16:g}" y="{row + 4:g}">{tier}</text>')
    return out


def _title_block(sheet: Sheet, facts: Sequence[tuple[str, str]], title: str) -> list[str]:
    if not facts:
        return []
    rows = (len(facts) + 2) // 3
    x, y = sheet.width - 8 - TITLE_WIDTH, sheet.height - 8 - TITLE_ROW * (rows + 1)
    cell = TITLE_WIDTH / 3
    out = [
        f'<g id="title-block" class="title-block"><rect class="tb" x="{x:g}" y="{y:g}" width="{TITLE_WIDTH:g}"'
        f' height="{TITLE_ROW * (rows + 1):g}"/>'
    ]
    out.append(f'<text class="tb-title" x="{x + 8:g}" y="{y + 17:g}">{escape(cut(title, TITLE_WIDTH - 20, 14))}</text>')
    for index, (label, value) in enumerate(facts):
        left, top = x + cell * (index % 3), y + TITLE_ROW * (1 + index // 3)
        out.append(f'<rect class="tb thin" x="{left:g}" y="{top:g}" width="{cell:g}" height="{TITLE_ROW:g}"/>')
        out.append(f'<text class="tb-label q" x="{left + 6:g}" y="{top + 10:g}">{escape(label)}</text>')
        out.append(f'<text class="m" x="{left + 6:g}" y="{top + 22:g}">{escape(value)}</text>')
    out.append("</g>")
    return out


__all__ = ["FIGURES", "Kept", "Mark", "Pieces", "pieces"]
