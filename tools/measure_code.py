"""Lines, functions, widths, comments and the share of tests, of this tree or of another commit.

python tools/measure_code.py [COMMIT]
"""

from __future__ import annotations

import ast
import io
import subprocess
import sys
import tarfile
import tokenize
from collections.abc import Iterator
from pathlib import PurePosixPath
from statistics import median, quantiles

WIDE = 120
AREAS = {"core": "lattice/", "web": "web/", "tests": "tests/", "tools": "tools/"}
LANGUAGES = {"templates": ".html", "CSS": ".css", "JS": ".js"}


def main(commit: str = "HEAD") -> None:
    files = dict(_files(commit))
    for area, start in AREAS.items():
        _print_python(
            area, {name: text for name, text in files.items() if name.startswith(start) and name.endswith(".py")}
        )
    for language, ending in LANGUAGES.items():
        _print_lines(
            language, [text for name, text in files.items() if name.endswith(ending) and "/vendor/" not in name]
        )
    code = {name: len(_code_lines(text)) for name, text in files.items() if _is_code(name)}
    tests = sum(lines for name, lines in code.items() if name.startswith("tests/"))
    total = sum(code.values())
    print(f"all code: {total} lines that are not empty, {100 * tests / total:.1f} % of them tests")


def _files(commit: str) -> Iterator[tuple[str, str]]:
    archive = subprocess.run(["git", "archive", commit], check=True, capture_output=True).stdout
    with tarfile.open(fileobj=io.BytesIO(archive)) as tar:
        for member in tar:
            if member.isfile() and _is_code(member.name):
                content = tar.extractfile(member)
                if content is not None:
                    yield member.name, content.read().decode()


def _is_code(name: str) -> bool:
    return PurePosixPath(name).suffix in (".py", *LANGUAGES.values()) and "/vendor/" not in name


def _code_lines(text: str) -> list[str]:
    return [line for line in text.splitlines() if line.strip()]


def _print_python(area: str, files: dict[str, str]) -> None:
    lengths = [len(text.splitlines()) for text in files.values()]
    functions = [
        node.end_lineno - node.lineno + 1
        for text in files.values()
        for node in ast.walk(ast.parse(text))
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef) and node.end_lineno
    ]
    comments = sum(_whole_line_comments(text) for text in files.values())
    sections = sum(text.count("\n    ----------\n") + text.count("\n        ----------\n") for text in files.values())
    lines = sum(len(_code_lines(text)) for text in files.values())
    print(
        f"{area}: {len(files)} files, {lines} lines, file median {median(lengths):.0f} most {max(lengths)}; "
        f"{len(functions)} functions, median {median(functions):.0f} p90 {quantiles(functions, n=10)[-1]:.0f} "
        f"most {max(functions)}; {comments} whole-line comments ({100 * comments / lines:.1f} %), "
        f"{sections} docstrings with parameters"
    )


def _whole_line_comments(text: str) -> int:
    lines = text.splitlines()
    tokens = tokenize.generate_tokens(io.StringIO(text).readline)
    return sum(t.type == tokenize.COMMENT and lines[t.start[0] - 1].lstrip().startswith("#") for t in tokens)


def _print_lines(language: str, texts: list[str]) -> None:
    lines = [line for text in texts for line in _code_lines(text)]
    longest_file = max(len(text.splitlines()) for text in texts)
    wide = sum(len(line) > WIDE for line in lines)
    rules = f", {sum(line.count('{') for line in lines)} rules" if language == "CSS" else ""
    print(
        f"{language}: {len(texts)} files, {len(lines)} lines{rules}, longest file {longest_file}, "
        f"{wide} lines over {WIDE} characters, widest {max(map(len, lines))}"
    )


if __name__ == "__main__":
    main(*sys.argv[1:])
