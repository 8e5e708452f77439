"""Every text a person can read, by file, and the places that break the rules of voice.

python tools/words.py                   how many texts and how many breaches, by area
python tools/words.py --list [PATH ...] the texts themselves, FILE:LINE before each
python tools/words.py --check           the breaches; exit status 1 where there is one

The rules are the patterns of `RULES`. A text that needs a forbidden word has a row in tools/words_allowed.txt.
"""

from __future__ import annotations

import argparse
import ast
import re
import sys
from collections import Counter
from collections.abc import Iterator
from html.parser import HTMLParser
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).resolve().parent.parent
ALLOWED = Path(__file__).with_name("words_allowed.txt")

# Each forbidden pattern with the advice for its place. Lower case: texts are compared in lower case.
RULES: tuple[tuple[str, str], ...] = (
    (r"\b(somebody|someone|anybody|anyone|nobody|whoever|everybody|somewhere else)\b", "name the role, or “you”"),
    (r"\bwho\b|\bwhom\b", "name the role, or use a noun"),
    (r"\bwhat\b", "use a noun"),
    (r"\b(there is|there are) (no|nothing)\b.* \b(that|which)\b", "thing first, then the fault"),
    (r"\bnothing (that|here that|on|comes|leads|takes|is to|goes)\b", "thing first, then the fault"),
    (r"(?<!there )\b(is|are) no (?!long)[a-z]+\b", "state the expected value"),
    (r"\bput(s|ting)? (it |this |them )?right\b|\bremed(y|ies)\b|\bmend(s|ed|ing)?\b", "fix"),
    (r"\btick(s|ed)? (it |them |off)|\blooked through\b", "approve"),
    (r"\btak(e|es|en|ing) (it |them |this )?(off|out|over|back|in)\b|\btook (it )?(off|out|over|back)\b", "remove, "
    "download, apply, restore or withdraw"),
    (r"\b(is|are|was|be|were) kept\b|^keep\b|\bkeep (it|them|this)\b", "save"),
    (r"\banew\b|\bhence\b|\bthereby\b|\bwherein\b|\bshall\b|\bupon\b|\bby itself\b|\bfor want of\b", "the ordinary "
    "word"),
    (r"\bcom(e|es|ing) (to|past|in|late|out|along|after)\b|\bcame (to|past|in|out)\b", "reaches, bypasses, "
    "arrives or the exact verb"),
    (r"\bhear(s|d)?\b|\bunheard\b|\blisten(s)?\b", "reaches, is routed, is keyed by"),
    (r"\b(br(ing|ings|ought|inging)) (\w+ ){0,3}in\b|\bbring", "import"),
    (r"\bshel(f|ves)\b", "templates"),
    (r"\bmatters?\b", "issue"),
    (r"\bremark(s|ed)?\b", "comment"),
    (r"\b(un)?seal(s|ed|ing)?\b", "create revision"),
    (r"\bjournal\b", "history"),
    (r"\bawake\b|\basleep\b|\bridden\b", "active, inactive, automated"),
    (r"\bmargin\b", "side panel"),
    (r"\bhand(s|ed|ing)? (it |them )?(over|on)\b|\bl(ay|aid) down\b", "transfer"),
    (r"(?<!the same )(?<!a different )(?<!one )\bways?\b", "path"),
    (r"\bstand-in\b", "simulated session"),
    (r"\b(un)?fold (all|the|it)\b|\bopen all\b", "collapse, expand"),
    (r"\b(whole|dark|paper|this|the|empty) sheet\b|\bset-up\b", "map, settings"),
    (r"\bsettle[sd]?\b", "resolve"),
    (r"\bforget\b|\bforgotten\b", "delete"),
    (r"\bone (sees|can|may|does|types|wants|would|needs|works|puts|takes|presses)\b", "“you”"),
    (r"\b(do|does|did|done|be done) it\b|\bleave it\b", "the verb of the result"),
    (r"\b(is|are) said\b|\bsays\b|\bsaid\b|\btells\b|\btold\b", "the exact verb: states, shows, reports"),
    (r"\basks? of\b|\basked (for|of)\b|\basks for\b", "require, request"),
    (r"\bnewer state|\bpresent state\b|\bolder state\b|\bas it was\b|\bas it is\b", "version, current"),
    (r"\bworks? (it |the \w+ )?out\b|\bworked out\b", "compute, build"),
    (r"\bmidi\b", "MIDI in capitals"),
    (r"\bstands?\b|\bstood\b", "is, are"),
    (r"\bfx chain\b", "insert chain"),
    (r"\{[#%]|[#%]\}", "a tag or comment of a template ends on its line, or the page shows it"),
)  # fmt: skip
CASED = {r"\bmidi\b"}
LONGEST = 20  # words of a sentence

AREAS = (
    ("templates", "web/templates/"),
    ("scripts", "web/static/js/"),
    ("web", "web/"),
    ("checks", "lattice/checks/"),
    ("edits", "lattice/edits/"),
    ("command line", "lattice/cli/"),
    ("core, rest", "lattice/"),
    ("documents", ""),
)
READ_ATTRIBUTES = {"title", "aria-label", "aria-description", "placeholder", "alt"}
NO_TEXT = {"script", "style"}
DOCUMENTS = ("README.md", "CONTRIBUTING.md", "docs/*.md", "docs/*/*.md")


class Text(NamedTuple):
    """One text a person can read; values filled in at run time are `{x}` in it."""

    file: str
    line: int
    words: str


class Breach(NamedTuple):
    """A text and the rule it breaks."""

    text: Text
    found: str
    advice: str


def texts_of(root: Path = ROOT) -> Iterator[Text]:
    """All texts of the tree, by file."""
    for path in sorted((root / "lattice").rglob("*.py")):
        yield from _python(path, root)
    for path in sorted((root / "web").rglob("*.py")):
        if "migrations" not in path.parts:
            yield from _python(path, root)
    for ending in ("*.html", "*.txt"):
        for path in sorted((root / "web" / "templates").rglob(ending)):
            yield from _template(path, root)
    for path in sorted((root / "web" / "static" / "js").rglob("*.js")):
        yield from _script(path, root)
    for pattern in DOCUMENTS:
        for path in sorted(root.glob(pattern)):
            yield from _document(path, root)


def area(file: str) -> str:
    """The area a file belongs to."""
    return next(name for name, start in AREAS if file.startswith(start))


def _is_words(words: str) -> bool:
    """Tell text for people from keys, addresses and patterns: it has a space or begins with a capital."""
    bare = re.sub(r"\{[^}]*\}", "", words).strip()
    if not re.search(r"[A-Za-z]{2}", bare):
        return False
    if re.search(r"\\[dwsb(]|\(\?|^[./#]|^[a-z-]+:\S|[<>]|;\s*$|^[\w-]+=|::", bare):
        return False
    return " " in bare or bool(re.match(r"^[A-Z][a-z]", bare))


# --- Python


def _python(path: Path, root: Path) -> Iterator[Text]:
    tree = ast.parse(path.read_text(encoding="utf-8"))
    name = str(path.relative_to(root))
    for node, words in _strings(tree):
        if _is_words(words):
            yield Text(name, node.lineno, " ".join(words.split()))


def _strings(node: ast.AST) -> Iterator[tuple[ast.expr, str]]:
    """Strings of a tree, f-strings whole, without docstrings, annotations and keys."""
    if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
        return
    if isinstance(node, ast.JoinedStr):
        yield node, "".join(_piece(part) for part in node.values)
        for part in node.values:
            if isinstance(part, ast.FormattedValue):
                yield from _strings(part.value)
        return
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        yield node, node.value
        return
    for field, value in ast.iter_fields(node):
        if field in ("annotation", "returns", "slice"):
            continue
        for child in value if isinstance(value, list) else (value,):
            if isinstance(child, ast.AST):
                yield from _strings(child)


def _piece(part: ast.expr) -> str:
    return str(part.value) if isinstance(part, ast.Constant) else "{x}"


# --- Django templates


class _Page(HTMLParser):
    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.found: list[tuple[int, str]] = []
        self.skipping = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.skipping += tag in NO_TEXT
        for key, value in attrs:
            if value and (key in READ_ATTRIBUTES or key.startswith("data-say")):
                self.found.append((self.getpos()[0], value))

    def handle_endtag(self, tag: str) -> None:
        self.skipping -= tag in NO_TEXT

    def handle_data(self, data: str) -> None:
        if self.skipping:
            return
        before = data[: len(data) - len(data.lstrip())]
        line = self.getpos()[0] + before.count("\n")
        self.found.append((line, data))


def _template(path: Path, root: Path) -> Iterator[Text]:
    source = path.read_text(encoding="utf-8")
    name = str(path.relative_to(root))
    source = re.sub(r"\{#.*?#\}", "", source)
    for match in re.finditer(r"\{%.*?%\}", source):
        line = source.count("\n", 0, match.start()) + 1
        for words in re.findall(r'"([^"]*)"', match[0]):
            if _is_words(words) and "/" not in words:
                yield Text(name, line, words)
    page = _Page()
    bare = re.sub(r"\{%.*?%\}", "", source)
    page.feed(re.sub(r"\{\{.*?\}\}", "{x}", bare))
    page.close()
    for line, data in page.found:
        words = " ".join(data.split())
        if re.search(r"[A-Za-z]{2}", words.replace("{x}", "")):
            yield Text(name, line, words)


# --- Scripts

_JS = re.compile(
    r"//[^\n]*|/\*.*?\*/"  # comments
    r"|\"(?P<double>(?:\\.|[^\"\\\n])*)\"|'(?P<single>(?:\\.|[^'\\\n])*)'|`(?P<back>(?:\\.|[^`\\])*)`",
    re.S,
)


def _script(path: Path, root: Path) -> Iterator[Text]:
    source = path.read_text(encoding="utf-8")
    name = str(path.relative_to(root))
    for match in _JS.finditer(source):
        raw = match["double"] or match["single"] or match["back"]
        if not raw:
            continue
        words = " ".join(re.sub(r"\$\{[^}]*\}", "{x}", raw).split())
        if _is_words(words) and not re.search(r"[\[\]]|^[.#]", words):
            yield Text(name, source.count("\n", 0, match.start()) + 1, words)


# --- Documents


def _document(path: Path, root: Path) -> Iterator[Text]:
    """Paragraphs, list items and rows of tables, without code."""
    name = str(path.relative_to(root))
    block: list[str] = []
    start, fenced = 0, False
    for number, line in enumerate([*path.read_text(encoding="utf-8").splitlines(), ""], 1):
        if line.startswith("```"):
            fenced = not fenced
        begins = re.match(r"\s*([-*|#]|\d+\.)", line)
        if block and (fenced or not line.strip() or begins or line.startswith("```")):
            yield Text(name, start, re.sub(r"`[^`]*`|\]\([^)]*\)", "", " ".join(block)))
            block = []
        if not fenced and line.strip() and not line.startswith("```"):
            start = start if block else number
            block.append(line.strip())


# --- Rules


def allowed() -> list[tuple[str, str]]:
    """Rows of words_allowed.txt: the beginning of a path and a phrase that may be used there."""
    rows = [line.split("|", 1) for line in ALLOWED.read_text(encoding="utf-8").splitlines() if "|" in line]
    return [(file.strip(), phrase.strip()) for file, phrase in rows]


def breaches(texts: list[Text]) -> Iterator[Breach]:
    """Every text that breaks a rule, once a rule."""
    exceptions = allowed() if ALLOWED.exists() else []
    for text in texts:
        words = text.words
        for file, phrase in exceptions:
            if text.file.startswith(file):
                words = re.sub(re.escape(phrase), "·", words, flags=re.IGNORECASE)
        for pattern, advice in RULES:
            found = re.search(pattern, words if pattern in CASED else words.lower())
            if found:
                yield Breach(text, found[0], advice)
        yield from _long_sentences(text)


def _long_sentences(text: Text) -> Iterator[Breach]:
    for sentence in re.split(r"(?<=[.!?;:·])\s+", text.words):
        number = sum(bool(re.search(r"\w", word)) for word in sentence.split())
        if number > LONGEST and "{background" not in sentence:
            yield Breach(text, f"{number} words", f"at most {LONGEST}")


def _counts(texts: list[Text], found: list[Breach]) -> None:
    total = Counter(area(text.file) for text in texts)
    broken = Counter(area(file) for file in (breach.text.file for breach in found))
    at_fault = Counter(area(text.file) for text in {breach.text for breach in found})
    print(f"{'area':14}{'texts':>7}{'at fault':>10}{'breaches':>10}")
    for name, _start in AREAS:
        print(f"{name:14}{total[name]:7}{at_fault[name]:10}{broken[name]:10}")
    print(f"{'all':14}{total.total():7}{at_fault.total():10}{broken.total():10}")


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--list", nargs="*", metavar="PATH", help="print the texts of these files or folders")
    parser.add_argument("--check", action="store_true", help="print the breaches and fail where there is one")
    options = parser.parse_args()
    texts = list(texts_of())
    if options.list is not None:
        for text in texts:
            if not options.list or text.file.startswith(tuple(options.list)):
                print(f"{text.file}:{text.line}: {text.words}")
        return 0
    found = list(breaches(texts))
    if options.check:
        for breach in found:
            print(f"{breach.text.file}:{breach.text.line}: “{breach.found}”: {breach.advice}\n    {breach.text.words}")
        return int(bool(found))
    _counts(texts, found)
    return 0


if __name__ == "__main__":
    sys.exit(main())
