"""Writes the generated parts of the documents: docs/findings.md, and the marked tables of docs/reference/.

python tools/write_documents.py             write them
python tools/write_documents.py --check     exit status 1 where a page differs
"""

from __future__ import annotations

import argparse
import re
import sys
import textwrap
from collections.abc import Callable, Collection, Iterable, Iterator
from pathlib import Path
from typing import Any, get_args

import msgspec
from msgspec import NODEFAULT, UNSET
from msgspec.inspect import type_info

from lattice.bench.faults import FAULTS
from lattice.bench.prints import codes  # noqa: F401 - its import registers the findings of readings
from lattice.checks import audit  # noqa: F401 - its import registers every check with its texts
from lattice.checks.registry import EXPLANATIONS
from lattice.cli import parser
from lattice.model import document
from lattice.model.insert_types import INSERT_TYPES, InsertTraits
from lattice.model.route_kinds import ROUTE_KINDS, SOUNDING
from lattice.model.strip_kinds import STRIP_KINDS

DOCS = Path(__file__).resolve().parent.parent / "docs"
FINDINGS = DOCS / "findings.md"
REFERENCE = DOCS / "reference"
LEAD = """# Findings

This page answers: the meaning of each code, why it matters, how it is computed, and the usual fix.

The same texts are in the application beside an issue, and `lattice explain CODE` prints them. This page is generated
by `tools/write_documents.py` from the texts beside the checks. [Checks](reference/checks.md) has the exact definitions.
"""
MARKED = re.compile(r"<!-- generated: ([a-z ]+) -->\n.*?<!-- end -->", re.S)
WIDTH = 116


def findings_page() -> str:
    """Every code by family, in the order of the alphabet."""
    parts, family = [LEAD], ""
    for code in sorted(EXPLANATIONS):
        one = EXPLANATIONS[code]
        if code.partition(".")[0] != family:
            family = code.partition(".")[0]
            parts.append(f"## `{family}`\n")
        parts.append(
            f"**`{code}`**: {one.found}\n\n- *Why it matters:* {one.why}\n- *Calculation:* {one.how}\n"
            f"- *Usual fix:* {one.fix}\n"
        )
    return "\n".join(line for part in parts for line in _wrapped(part.split("\n")))


def reference_page(text: str) -> str:
    """A page with its generated parts written again."""
    return MARKED.sub(lambda match: f"<!-- generated: {match[1]} -->\n{GENERATED[match[1]]()}<!-- end -->", text)


def pages() -> Iterator[tuple[Path, str]]:
    """Every page with generated parts, as it must be."""
    yield FINDINGS, findings_page()
    for path in sorted(REFERENCE.glob("*.md")):
        yield path, reference_page(path.read_text(encoding="utf-8"))


# --- Tables


def _table(head: tuple[str, ...], rows: Iterable[tuple[str, ...]]) -> str:
    lines = [head, tuple("---" for _cell in head), *rows]
    return "\n" + "".join(f"| {' | '.join(cell or '–' for cell in line)} |\n" for line in lines) + "\n"


def _yes(is_so: bool) -> str:
    return "yes" if is_so else ""


def _strip_kinds() -> str:
    rows = (
        (f"`{row.name}`", _yes(row.plays), _yes(row.is_sum), _yes(row.is_end), _yes(row.is_fed), _yes(row.has_outlets))
        for row in STRIP_KINDS
    )
    return _table(("kind", "source", "sum", "end", "feeds and sends can end here", "outlets"), rows)


INSERT_WORDS: tuple[tuple[str, Callable[[InsertTraits], bool]], ...] = (
    ("key input", lambda row: row.can_be_keyed),
    ("static curve", lambda row: row.compresses),
    ("ceiling", lambda row: row.ceiling != "none"),
    ("decorrelates", lambda row: row.decorrelates),
    ("tail", lambda row: row.has_tail),
    ("delay time and feedback", lambda row: row.repeats),
    ("spreads channels", lambda row: row.spreads),
    ("leaves the machine", lambda row: row.is_external),
    ("level-dependent", lambda row: row.bends),
    ("transparent", lambda row: row.is_transparent),
)


def _insert_types() -> str:
    rows = (
        (f"`{row.name}`", ", ".join(words for words, holds in INSERT_WORDS if holds(row)), ", ".join(row.fields))
        for row in INSERT_TYPES
    )
    return _table(("type", "properties", "own fields"), rows)


def _route_kinds() -> str:
    machines = {"one": "one", "two": "two different", "any": "any"}
    rows = (
        (f"`{row.name}`", _kinds_of(row.starts_at), _kinds_of(row.ends_at), machines[row.machines])
        for row in ROUTE_KINDS
    )
    return _table(("route", "starts at", "ends at", "machines"), rows)


def _kinds_of(kinds: Collection[str]) -> str:
    return "any strip with audio" if set(kinds) == SOUNDING else ", ".join(sorted(kinds))


def _faults() -> str:
    return _table(("fault", "simulates"), ((f"`{kind.form}`", kind.found) for kind in FAULTS))


def _fields() -> str:
    parts = []
    for struct in _structs(document.Template):
        rows = (
            (f"`{field.encode_name}`", _named(type_info(field.type)), _default(field))
            for field in msgspec.structs.fields(struct)
        )
        parts.append(f"\n### {struct.__name__}\n" + _table(("field", "values", "default"), rows).rstrip("\n") + "\n")
    return "".join(parts) + "\n"


def _structs(first: type) -> list[type]:
    """A struct and all structs in its fields, each once."""
    found, waiting = [], [first]
    while waiting:
        struct = waiting.pop(0)
        if struct not in found:
            found.append(struct)
            waiting += [
                one.cls for field in type_info(struct).fields for one in _inner(field.type) if hasattr(one, "cls")
            ]
    return found


def _inner(kind: Any) -> Iterator[Any]:
    yield kind
    for name in ("types", "item_types"):
        for one in getattr(kind, name, ()):
            yield from _inner(one)
    if hasattr(kind, "item_type"):
        yield from _inner(kind.item_type)


def _named(kind: Any) -> str:
    """A type with its bounds, in words."""
    name = type(kind).__name__
    if name in COMPOUND:
        return COMPOUND[name](kind)
    words = {"StrType": "text", "IntType": "whole number", "FloatType": "number", "BoolType": "true, false"}
    return words.get(name, "null") + _bounds(kind)


COMPOUND: dict[str, Callable[[Any], str]] = {
    "UnionType": lambda kind: " or ".join(_named(one) for one in kind.types),
    "LiteralType": lambda kind: _one_of(tuple(str(value) for value in kind.values)),
    "VarTupleType": lambda kind: f"list of {_named(kind.item_type)}",
    "TupleType": lambda kind: f"[{', '.join(_named(one) for one in kind.item_types)}]",
    "StructType": lambda kind: f"[{kind.cls.__name__}](#{kind.cls.__name__.lower()})",
    "DictType": lambda _kind: "texts by name",
}
SECTIONS_OF = (
    (document.LAYOUTS, "a [layout](#layouts)"),
    ([row.name for row in INSERT_TYPES], "a [type](#insert-types)"),
    ([row.name for row in STRIP_KINDS], "a [kind](#strip-kinds)"),
    ([row.name for row in ROUTE_KINDS], "a [kind](#connections)"),
    (get_args(document.RuleKind), "a [kind](#rules)"),
)


def _one_of(values: tuple[str, ...]) -> str:
    """Allowed words, or the section that has them."""
    for known, words in SECTIONS_OF:
        if set(values) == set(known):
            return words
    return " ".join(f"`{value}`" for value in values)


def _bounds(kind: Any) -> str:
    least, above, most = getattr(kind, "ge", None), getattr(kind, "gt", None), getattr(kind, "le", None)
    longest = getattr(kind, "max_length", None)
    if longest is not None:
        return f", at most {longest} characters"
    if least is not None and most is not None:
        return f", {least:.0f} to {most:.0f}"
    if above is not None:
        return f", above {above:g}" + ("" if most is None else f", at most {most:g}")
    return "" if least is None else f", at least {least:g}"


def _default(field: Any) -> str:
    if field.default is UNSET:
        return "assumed level"
    if field.default is NODEFAULT and field.default_factory is NODEFAULT:
        return "required"
    value = field.default if field.default is not NODEFAULT else field.default_factory()
    if isinstance(value, msgspec.Struct) or (
        value and isinstance(value[0], msgspec.Struct) if isinstance(value, tuple) else False
    ):
        return "its defaults"
    return f"`{msgspec.json.encode(value).decode()}`"


def _commands() -> str:
    """Every command with its usage and its options, as `--help` prints them."""
    made = parser()
    commands = next(action.choices for action in made._actions if isinstance(action, argparse._SubParsersAction))
    parts = []
    for name, one in commands.items():
        if name != one.prog.rpartition(" ")[2]:
            continue  # an alias
        options = [action for action in one._actions if action.help and action.dest != "help"]
        lines = [f"\n### {name}\n", f"{one.description[:1].upper()}{one.description[1:]}.\n"]
        lines += _wrapped(f"- `{_called(action)}`: {action.help}" for action in options)
        parts.append("\n".join(lines) + "\n")
    return "".join(parts) + "\n"


def _called(action: argparse.Action) -> str:
    shown = action.metavar or ("" if action.nargs == 0 else action.dest.upper())
    shown = " ".join(shown) if isinstance(shown, tuple) else shown
    if action.choices and not action.metavar:
        shown = "|".join(map(str, action.choices))
    return " ".join(filter(None, ("/".join(action.option_strings), shown)))


GENERATED: dict[str, Callable[[], str]] = {
    "strip kinds": _strip_kinds,
    "insert types": _insert_types,
    "route kinds": _route_kinds,
    "faults": _faults,
    "fields": _fields,
    "commands": _commands,
}


def _wrapped(lines: Iterable[str]) -> Iterator[str]:
    """Lines of a paragraph, no longer than WIDTH."""
    for line in lines:
        indent = "  " if line.startswith("- ") else ""
        yield from textwrap.wrap(line, WIDTH, subsequent_indent=indent, break_long_words=False) or [""]


def main() -> int:
    """Writes or compares."""
    options = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    options.add_argument("--check", action="store_true")
    is_check = options.parse_args().check
    stale = [(path, text) for path, text in pages() if not path.exists() or path.read_text(encoding="utf-8") != text]
    for path, text in stale:
        if not is_check:
            path.write_text(text, encoding="utf-8")
        print(f"{path.relative_to(DOCS.parent)}: {'differs' if is_check else 'written'}")
    return int(is_check and bool(stale))


if __name__ == "__main__":
    sys.exit(main())
