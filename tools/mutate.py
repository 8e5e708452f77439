"""Mutations: small mistakes put into the code one at a time, and whether the tests notice each.

Of each group as many places as requested are drawn, the same for the same seed. A surviving mutation is printed with
its line: either the behaviour is the same, or a test is missing.

    python tools/mutate.py [--of permissions,levels,…] [--each 20] [--seed 1]
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
MOST_S = 600  # a mutation that never ends is noticed
PARTS = {"quick": "not hypothesis", "random": "hypothesis"}  # random tests take a minute; quick ones notice most
NO_TEST = 5  # the exit status of pytest where no test was chosen
GROUPS: dict[str, tuple[list[str], list[str]]] = {
    "permissions": (
        [
            f"web/{w}.py"
            for w in ("shelf/access", "people/roles", "shelf/refusing", "editor/writes", "sharing/services")
        ],
        ["permissions", "sharing", "followed", "writes", "two_at_once", "shelf", "noticed"],
    ),
    "levels": (
        [f"lattice/gain_staging/{name}.py" for name in ("chain", "gains", "signal_levels", "levels")],
        ["core/levels", "reference", "core/checks/test_contract.py", "core/checks/test_details.py"],
    ),
    "timing": (
        [f"lattice/latency/{name}.py" for name in ("arrivals", "monitoring", "comb")],
        ["core/timing", "reference", "core/checks/test_contract.py", "core/checks/test_details.py"],
    ),
    "stems": (
        [f"lattice/deliverables/{name}.py" for name in ("taps", "ledger", "split")],
        [
            "core/stems",
            "core/checks/test_brute_force_stems.py",
            "core/checks/test_contract.py",
            "core/edits/test_bulk.py",
        ],
    ),
    "rebase": (
        ["lattice/changes/rebase.py", "web/shelf/history.py"],
        ["core/changes", "two_at_once", "spent_ids", "writes", "journal", "noticed"],
    ),
}


def tests_of(group: str, without: str | None) -> list[str]:
    """Paths of a group's tests; a bare word is a file of tests/web. Files with `without` in their name are left out."""
    words = GROUPS[group][1]
    named = (f"tests/{w}" if "/" in w or w == "reference" else f"tests/web/test_{w}.py" for w in words)
    return [path for path in named if (ROOT / path).exists() and not (without and without in path)]


SWAPPED: dict[type[ast.AST], str] = {
    ast.Lt: "<=", ast.LtE: "<", ast.Gt: ">=", ast.GtE: ">", ast.Eq: "!=", ast.NotEq: "==", ast.In: "not in",
    ast.NotIn: "in", ast.Is: "is not", ast.IsNot: "is", ast.Add: "-", ast.Sub: "+", ast.Mult: "/", ast.Div: "*",
}  # fmt: skip


@dataclass(frozen=True)
class Mutation:
    """Some characters of a file, and their replacement."""

    file: str
    line: int
    start: int
    end: int
    instead: str

    @property
    def where(self) -> str:
        """As printed."""
        return f"{self.file}:{self.line}: {self.instead}"


def mutations(file: str, text: str) -> Iterator[Mutation]:  # noqa: C901 - a kind of mistake a branch
    """Every mutation of a file."""
    lines = text.encode().splitlines(keepends=True)
    begins = [0]
    for line in lines:
        begins.append(begins[-1] + len(line))

    def at(line: int, column: int) -> int:
        return begins[line - 1] + column

    def of(node: ast.AST, instead: str) -> Mutation:
        return Mutation(
            file, node.lineno, at(node.lineno, node.col_offset), at(node.end_lineno, node.end_col_offset), instead
        )  # type: ignore[attr-defined]

    for node in ast.walk(ast.parse(text)):
        if isinstance(node, ast.Compare) and len(node.ops) == 1:
            yield of(
                node, f"({ast.unparse(node.left)} {SWAPPED[type(node.ops[0])]} {ast.unparse(node.comparators[0])})"
            )
        elif isinstance(node, ast.BinOp) and type(node.op) in SWAPPED and not _is_text(node):
            yield of(node, f"({ast.unparse(node.left)} {SWAPPED[type(node.op)]} {ast.unparse(node.right)})")
        elif isinstance(node, ast.BoolOp):
            other = " or " if isinstance(node.op, ast.And) else " and "
            yield of(node, f"({other.join(ast.unparse(value) for value in node.values)})")
        elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
            yield of(node, f"({ast.unparse(node.operand)})")
        elif isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in ("min", "max"):
            yield of(node.func, "max" if node.func.id == "min" else "min")
        elif isinstance(node, ast.Expr) and isinstance(node.value, ast.Call):
            yield of(node, "pass")
        elif isinstance(node, ast.If):
            yield of(node.test, "False")
        elif isinstance(node, ast.Return) and isinstance(node.value, ast.Compare | ast.BoolOp):
            yield of(node.value, "True")


def _is_text(node: ast.BinOp) -> bool:
    return any(
        (isinstance(side, ast.Constant) and isinstance(side.value, str)) or isinstance(side, ast.JoinedStr)
        for side in (node.left, node.right)
    )


def drawn(group: str, count: int, seed: int) -> list[Mutation]:
    """The mutations of a group that are tried."""
    every = [one for file in GROUPS[group][0] for one in mutations(file, (ROOT / file).read_text())]
    return random.Random(f"{seed} {group}").sample(every, min(count, len(every)))


def is_noticed(tree: Path, tests: list[str], parts: tuple[str, ...], one: Mutation) -> bool:
    """Whether a test fails with the mutation in a copy of the tree."""
    path = tree / one.file
    before = path.read_bytes()
    path.write_bytes(before[: one.start] + one.instead.encode() + before[one.end :])
    environment = {**os.environ, "LATTICE_VAR": str(tree / "var")}
    command = [sys.executable, "-m", "pytest", "-x", "-q", "--no-header", "--tb=no", *tests]
    try:
        for part in parts:
            done = subprocess.run(
                [*command, "-m", part], cwd=tree, env=environment, capture_output=True, timeout=MOST_S, check=False
            )
            if done.returncode not in (0, NO_TEST):
                return True
        return False
    except subprocess.TimeoutExpired:
        return True
    finally:
        path.write_bytes(before)


def main() -> int:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--of", default=",".join(GROUPS))
    options.add_argument("--each", type=int, default=20)
    options.add_argument("--seed", type=int, default=1)
    options.add_argument("--at-once", type=int, default=2)
    options.add_argument("--parts", default="quick,random", help="of the tests, one after the other")
    options.add_argument("--again", type=Path, help="only the survivors of an earlier run, from its output")
    options.add_argument("--by", default="", help="only by these tests, a path each, with a comma between")
    options.add_argument("--without", default=None, help="without the files of tests that have this in their name")
    asked = options.parse_args()
    survived_in_all = tried_in_all = 0
    with tempfile.TemporaryDirectory() as folder:
        trees = [Path(folder) / str(number) for number in range(asked.at_once)]
        for tree in trees:
            shutil.copytree(
                ROOT, tree, ignore=shutil.ignore_patterns(".venv", ".git", "var", "__pycache__", "node_modules")
            )
        for group in asked.of.split(","):
            chosen = drawn(group, asked.each, asked.seed)
            if asked.again:
                before = set(asked.again.read_text().splitlines())
                chosen = [one for one in chosen if f"survives  {one.where}" in before]

            tests = asked.by.split(",") if asked.by else tests_of(group, asked.without)

            parts = tuple(PARTS[part] for part in asked.parts.split(","))

            def tried(
                number: int, chosen: list[Mutation] = chosen, tests: list[str] = tests, parts: tuple[str, ...] = parts
            ) -> list[tuple[Mutation, bool]]:
                results = []
                for one in chosen[number :: asked.at_once]:
                    results.append((one, is_noticed(trees[number], tests, parts, one)))
                    print(f"{'noticed ' if results[-1][1] else 'survives'}  {one.where}", flush=True)
                return results

            with ThreadPoolExecutor(asked.at_once) as pool:
                results = [result for part in pool.map(tried, range(asked.at_once)) for result in part]
            survivors = [one for one, noticed in results if not noticed]
            print(f"{group}: {len(survivors)} of {len(results)} survive", flush=True)
            survived_in_all += len(survivors)
            tried_in_all += len(results)
    print(f"in all: {survived_in_all} of {tried_in_all} survive")
    return 0


if __name__ == "__main__":
    sys.exit(main())
