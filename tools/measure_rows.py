"""Times of rows: pasted into a template, parsed and as an edit with its audit; imported, as the page shows them.

python tools/measure_rows.py
"""

from __future__ import annotations

import io
import os
import sys
import tempfile
from pathlib import Path
from time import perf_counter

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

import django
import xlsxwriter

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "web.config.settings")
os.environ.setdefault("LATTICE_VAR", tempfile.mkdtemp())
django.setup()

from lattice.checks import audit
from lattice.edits import apply
from lattice.formats.tables.tolerant_reader import read_rows
from lattice.generate import generate
from lattice.model.document import Template
from web.bringing.models import Brought
from web.bringing.reading import forget_books
from web.bringing.showing import shown

SECTIONS = 40


def rows(count: int) -> list[str]:
    """A foreign table of so many rows, routed by bus names."""
    families = [f"Family {n}" for n in range(SECTIONS)]
    buses = [f"{family},{family},aux,{family} bus,Mix bus,," for family in families]
    tracks = [
        f"Track {n},{families[n % SECTIONS]},audio track,,{families[n % SECTIONS]} bus,Hall bus,-12"
        for n in range(count - len(buses) - 2)
    ]
    ends = ["Mix,,aux,Mix bus,Out 1-2,,", "Hall,,aux,Hall bus,Mix bus,,"]
    return ["Track,Folder,Type,Input,Output,Send A,Send A level", *tracks, *buses, *ends]


def _ms(start: float) -> float:
    return (perf_counter() - start) * 1000


def workbook(lines: list[str]) -> bytes:
    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True}) as book:
        sheet = book.add_worksheet("Channels")
        for number, line in enumerate(lines):
            sheet.write_row(number, 0, line.split(","))
    return out.getvalue()


def brought(content: bytes) -> float:
    """Ms until the page of a file is known: read, guessed, checked and drawn."""
    forget_books()
    start = perf_counter()
    shown(Brought(name="Measured", content=content))
    return _ms(start)


def main() -> None:
    print(f"{'into strips':>12}{'rows':>7}{'read ms':>9}{'edit ms':>9}{'audit ms':>10}")
    for size, count in ((0, 200), (0, 2000), (3000, 200), (3000, 2000)):
        template = generate(size) if size else Template(name="Empty")
        lines = rows(count)
        start = perf_counter()
        found = read_rows(template, "\n".join(lines), {})
        read_ms = _ms(start)
        start = perf_counter()
        after = apply(template, "spread", {"names": lines})
        edit_ms = _ms(start)
        start = perf_counter()
        audit(after)
        print(f"{size:>12}{len(found.added):>7}{read_ms:>9.0f}{edit_ms:>9.0f}{_ms(start):>10.0f}")
    for count in (200, 2000):
        lines = rows(count)
        text_ms, book_ms = brought("\n".join(lines).encode()), brought(workbook(lines))
        print(f"brought in, {count} rows: {text_ms:.0f} ms as text, {book_ms:.0f} ms as a workbook")


if __name__ == "__main__":
    main()
