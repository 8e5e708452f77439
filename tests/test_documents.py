"""Documents: links, citations, codes, JSON forms and examples are those of the program."""

from __future__ import annotations

import ast
import doctest
import importlib
import json
import re
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

import lattice
from lattice import api
from lattice.analysis import Analysis
from lattice.bench.kit.making import kit_of
from lattice.bench.kit.slots import dump as dump_kit
from lattice.checks.registry import EXPLANATIONS
from tests.build import template
from tools import words, write_documents

ROOT = Path(__file__).resolve().parent.parent
PAGES = sorted([ROOT / "README.md", ROOT / "CONTRIBUTING.md", ROOT / "CHANGELOG.md", *(ROOT / "docs").rglob("*.md")])
SOURCES = [path for folder in ("lattice", "web", "tests", "tools") for path in sorted((ROOT / folder).rglob("*.py"))]
REFERENCE = ROOT / "docs" / "reference"
LONGEST = 140
CITED = re.compile(r"docs/(?:reference/)?[a-z-]+\.md(?:, \*([^*]+)\*)?")


def _anchors(text: str) -> set[str]:
    """Addresses of the headings of a page, as hosts of Markdown make them."""
    heads = re.findall(r"^#+ (.+)$", text, re.M)
    return {re.sub(r"[^\w -]", "", head.lower()).replace(" ", "-") for head in heads}


@pytest.mark.parametrize("page", PAGES, ids=lambda page: str(page.relative_to(ROOT)))
def test_links_lead_somewhere(page: Path) -> None:
    for target in re.findall(r"\]\(([^)\s]+)\)", page.read_text(encoding="utf-8")):
        if "://" in target:
            continue
        path, _hash, anchor = target.partition("#")
        there = (page.parent / path).resolve() if path else page
        assert there.exists(), target
        assert not anchor or anchor in _anchors(there.read_text(encoding="utf-8")), target


@pytest.mark.parametrize("page", PAGES, ids=lambda page: str(page.relative_to(ROOT)))
def test_lines_are_short_and_a_page_begins_with_its_question(page: Path) -> None:
    lines = page.read_text(encoding="utf-8").splitlines()
    assert [number for number, line in enumerate(lines, 1) if len(line) > LONGEST] == []
    assert lines[0].startswith("# ")
    if page.parent.name in ("docs", "reference"):
        assert lines[2].startswith("This page"), lines[2]


def _citations() -> Iterator[tuple[Path, str, str]]:
    for path in SOURCES:
        for match in CITED.finditer(path.read_text(encoding="utf-8")):
            yield path, match[0].partition(",")[0], match[1] or ""


def test_citations_lead_to_a_heading() -> None:
    found = list(_citations())
    assert len(found) > 50
    for path, page, heading in found:
        assert (ROOT / page).exists(), (path, page)
        heads = re.findall(r"^#+ (.+)$", (ROOT / page).read_text(encoding="utf-8"), re.M)
        assert not heading or heading in heads, (path, page, heading)


def test_no_citation_of_a_page_outside_the_repository() -> None:
    outside = re.compile(r"(?<![\w/-])(?:model|checks|causes|command-line|judgement|everyday)\.md")
    assert [
        path for path in SOURCES if outside.search(path.read_text(encoding="utf-8")) and path != Path(__file__)
    ] == []


def test_tests_that_a_page_names_exist() -> None:
    for page in PAGES:
        for name in re.findall(r"`((?:tests|tools|lattice|web)/[\w./-]+)`", page.read_text(encoding="utf-8")):
            if "NAME" not in name and "*" not in name and page.name != "CHANGELOG.md":
                assert (ROOT / name).exists() or (ROOT / name).with_suffix(".py").exists(), (page, name)


def test_every_code_is_defined_and_no_other() -> None:
    text = (REFERENCE / "checks.md").read_text() + (REFERENCE / "bench.md").read_text()
    assert set(re.findall(r"^- `([a-z-]+\.[a-z-]+)` \(", text, re.M)) == set(EXPLANATIONS)


def test_severities_of_a_definition_are_those_in_the_code() -> None:
    """Each `Finding(code="x", severity="y")` that names both as texts is in the list of its code."""
    defined = {
        code: set(severities.split(", "))
        for code, severities in re.findall(
            r"^- `([a-z-]+\.[a-z-]+)` \(([^)]+)\)", (REFERENCE / "checks.md").read_text(), re.M
        )
    }
    stated = 0
    for path in sorted((ROOT / "lattice" / "checks").glob("*.py")):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Call) and getattr(node.func, "id", "") == "Finding":
                given = {keyword.arg: keyword.value for keyword in node.keywords}
                code, severity = given.get("code"), given.get("severity")
                if isinstance(code, ast.Constant) and isinstance(severity, ast.Constant):
                    stated += 1
                    assert severity.value in defined[code.value], (code.value, severity.value)
    assert stated > 30


def test_generated_parts_are_current() -> None:
    for path, text in write_documents.pages():
        assert path.read_text(encoding="utf-8") == text, path


def test_texts_follow_the_rules_of_voice() -> None:
    assert [(one.text.file, one.text.line, one.found) for one in words.breaches(list(words.texts_of()))] == []


def test_a_breach_is_found() -> None:
    """Each pattern finds its own example, so that the lint can fail."""
    texts = ["Somebody has to put it right anew", "Save", "Strips, " * 21 + "end. " + "Few words.", "{# Two lines #}"]
    found = words.breaches([words.Text("web/x.py", line, text) for line, text in enumerate(texts, 1)])
    assert {(one.text.line, one.found) for one in found} == {
        (1, "somebody"), (1, "put it right"), (1, "anew"), (3, "22 words"), (4, "{#"),
    }  # fmt: skip


def test_texts_are_found_in_every_kind_of_file(tmp_path: Path) -> None:
    """Docstrings, keys and comments are left out; values filled in at run time are {x}."""
    files = {
        "lattice/a.py": '"""Not this."""\nx = {"key_of": f"Strip {1} is off"}  # nor this\n',
        "web/b.py": 'say("two "\n    "parts")\n',
        "web/templates/c.html": '<p class="x" title="A title">\n  Text of {{ name }}</p>{% field "y" words="Name it" %}',
        "web/static/js/d.js": "// no\nnotify(`Gone: ${x}.`);\n",
        "README.md": "# Head\n\nA paragraph\nof two lines with `code`.\n",
    }
    for name, text in files.items():
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_text(text)
    found = {(one.file, one.line, one.words) for one in words.texts_of(tmp_path)}
    assert found == {
        ("lattice/a.py", 2, "Strip {x} is off"), ("web/b.py", 1, "two parts"),
        ("web/templates/c.html", 1, "A title"), ("web/templates/c.html", 2, "Text of {x}"),
        ("web/templates/c.html", 2, "Name it"), ("web/static/js/d.js", 2, "Gone: {x}."),
        ("README.md", 1, "# Head"), ("README.md", 3, "A paragraph of two lines with ."),
    }  # fmt: skip


# --- JSON forms


def _forms(page: str) -> list[Any]:
    """The JSON of a page, without its comments."""
    blocks = re.findall(r"```jsonc\n(.*?)```", (REFERENCE / page).read_text(encoding="utf-8"), re.S)
    return [json.loads(re.sub(r"\s//[^\n]*", "", block)) for block in blocks]


def _keys(form: Any) -> Any:
    """Keys of an object, and of the first object of each list."""
    if isinstance(form, dict):
        return {key: _keys(value) for key, value in form.items()}
    return _keys(form[0]) if isinstance(form, list) and form and isinstance(form[0], dict) else None


SHOWN = template(
    [
        {"id": "lost", "kind": "audio", "section": "all"},
        {"id": "kick", "kind": "audio", "inserts": [{"id": "eq", "type": "eq"}]},
        {"id": "mix", "kind": "master"},
        {"id": "print", "kind": "print"},
        {"id": "out", "kind": "output", "io": [1]},
    ],
    ["kick>mix", "mix>out", "mix>print"],
    sections=[{"id": "all", "name": "All", "bus": "mix"}],
    stems=[{"id": "st", "name": "All", "strip": "mix", "print": "print", "layout": "mono"}],
)  # fmt: skip


def _printed(*arguments: str, tmp_path: Path) -> Any:
    path = tmp_path / "shown.json"
    from lattice.formats.document_json import dump

    path.write_bytes(dump(SHOWN))
    command = [sys.executable, "-m", "lattice", arguments[0], str(path), *arguments[1:], "--json"]
    return json.loads(subprocess.run(command, capture_output=True, check=False, cwd=ROOT).stdout)


def test_the_form_of_an_audit_has_the_keys_that_are_printed(tmp_path: Path) -> None:
    form, printed = _forms("command-line.md")[0], _printed("audit", tmp_path=tmp_path)
    assert form.keys() == printed.keys()
    assert form["findings"][0].keys() == printed["findings"][0].keys()
    assert form["matters"][0].keys() == printed["matters"][0].keys()
    assert form["summary"].keys() == printed["summary"].keys()


def test_the_forms_of_figures_have_the_keys_that_are_printed(tmp_path: Path) -> None:
    _audit, levels, timing, stems = _forms("command-line.md")
    strip = next(iter(levels["strips"].values()))
    printed = _printed("levels", tmp_path=tmp_path)["strips"]["kick"]
    assert (strip.keys(), strip["in"].keys()) == (printed.keys(), printed["in"].keys())
    assert next(iter(strip["inserts"].values())).keys() == printed["inserts"]["eq"].keys()
    printed = _printed("timing", tmp_path=tmp_path)
    assert timing.keys() <= printed.keys()
    assert next(iter(timing["outputs"].values())).keys() == printed["outputs"]["out"].keys()
    assert stems.keys() <= _printed("stems", tmp_path=tmp_path).keys()


def test_the_form_of_a_plan_has_the_keys_that_are_printed(tmp_path: Path) -> None:
    form, printed = _forms("causes.md")[0], _printed("plan", tmp_path=tmp_path)
    assert form.keys() == printed.keys()
    assert form["steps"][0].keys() == printed["steps"][0].keys()


def test_the_form_of_a_kit_has_the_keys_that_are_written() -> None:
    form, plan = _forms("bench.md")[0], json.loads(dump_kit(kit_of(Analysis(SHOWN))))
    assert form.keys() == plan.keys()
    assert form["slots"][0].keys() == plan["slots"][0].keys()


# --- Examples


def test_the_examples_of_the_page_for_python_run() -> None:
    found = doctest.testfile(
        str(ROOT / "docs" / "python.md"), module_relative=False, optionflags=doctest.IGNORE_EXCEPTION_DETAIL
    )
    assert (found.failed, found.attempted > 15) == (0, True)


@pytest.mark.parametrize("name", ["lattice", "lattice.api", "lattice.checks.audit"])
def test_the_examples_of_docstrings_run(name: str) -> None:
    found = doctest.testmod(importlib.import_module(name))
    assert (found.failed, found.attempted > 2) == (0, True)


def test_the_package_offers_its_functions_and_imports_them_late() -> None:
    assert {name: getattr(lattice, name) for name in lattice.__all__} == {
        name: getattr(api, name) for name in api.__all__
    }
    assert set(lattice.__all__) <= set(dir(lattice))
    with pytest.raises(AttributeError, match="has no attribute 'sing'"):
        lattice.sing  # noqa: B018
    code = "import lattice, sys; sys.exit('lattice.analysis' in sys.modules)"
    assert subprocess.run([sys.executable, "-c", code], check=False, cwd=ROOT).returncode == 0


def test_apply_takes_values_as_they_are() -> None:
    muted = lattice.apply(SHOWN, "change_strip", strip="kick", mute=True, fader_db=None, tags=["spare", "click"])
    strip = muted.strips[1]
    assert (strip.mute, strip.fader_db, strip.tags) == (True, None, ("spare", "click"))
    moved = lattice.apply(SHOWN, "remove_strips", strips=["lost", "kick"])
    assert [strip.id for strip in moved.strips] == ["mix", "print", "out"]
    added = lattice.apply(SHOWN, "add_route", kind="feed", from_="lost", to="mix")
    assert (added.routes[-1].from_strip, lattice.audit(added).summary["blocker"]) == ("lost", 0)
