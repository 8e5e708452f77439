"""The wheel: built from the tree, installed where the tree is not, it has all it declares and serves the demo."""

from __future__ import annotations

import ast
import os
import re
import shutil
import socket
import subprocess
import sys
import sysconfig
import time
import urllib.request
import venv
from importlib.metadata import packages_distributions
from pathlib import Path

import pytest

pytestmark = pytest.mark.slow

ROOT = Path(__file__).resolve().parent.parent


def _run(*command: str | Path, cwd: Path, home: Path) -> str:
    environment = {"HOME": str(home), "PATH": os.environ["PATH"], "LATTICE_DEMO": "1"}
    done = subprocess.run(command, cwd=cwd, env=environment, capture_output=True, text=True, timeout=120, check=False)
    assert done.returncode == 0, done.stderr
    return done.stdout


@pytest.fixture(scope="module")
def installed(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """An environment with the wheel in it, and our dependencies by a path line: nothing is fetched.

    A directory named by a path line has none of its own path lines followed, so the tree itself is not seen.
    """
    folder = tmp_path_factory.mktemp("wheel")
    tree = folder / "tree"  # a copy, as building leaves files beside the sources
    for part in ("lattice", "web", "requirements"):
        shutil.copytree(ROOT / part, tree / part, ignore=shutil.ignore_patterns("__pycache__"))
    for part in ("pyproject.toml", "README.md", "LICENSE"):
        shutil.copy(ROOT / part, tree)
    pip = [sys.executable, "-m", "pip"]
    _run(*pip, *["wheel", "--quiet", "--no-deps", "--no-build-isolation", "-w", "."], tree, cwd=folder, home=folder)
    (wheel,) = folder.glob("intact_lattice-*.whl")
    environment = folder / "environment"
    venv.create(environment)
    _run(
        *pip,
        "--python",
        environment,
        *["install", "--quiet", "--no-deps", "--no-index"],
        wheel,
        cwd=folder,
        home=folder,
    )
    (site,) = environment.glob("lib/python*/site-packages")
    (site / "dependencies.pth").write_text(sysconfig.get_path("purelib"))
    return environment


def test_the_console_scripts_work_outside_the_tree(installed: Path, tmp_path: Path) -> None:
    version = _run(installed / "bin" / "lattice", "--version", cwd=tmp_path, home=tmp_path).strip()
    assert re.fullmatch(r"Intact Lattice \d+\.\d+\.\d+", version)
    where = _run(
        installed / "bin" / "python",
        "-c",
        "import lattice, web; print(lattice.__file__, web.__file__)",
        cwd=tmp_path,
        home=tmp_path,
    )
    assert all(Path(file).is_relative_to(installed) for file in where.split())


def _imported() -> set[str]:
    """Top packages that the code imports, its own and Python's left out."""
    names: set[str] = set()
    for file in (*(ROOT / "lattice").rglob("*.py"), *(ROOT / "web").rglob("*.py")):
        for node in ast.walk(ast.parse(file.read_text())):
            if isinstance(node, ast.Import):
                names |= {alias.name for alias in node.names}
            elif isinstance(node, ast.ImportFrom) and node.module:
                names.add(node.module)
    return {name.split(".")[0] for name in names} - set(sys.stdlib_module_names) - {"lattice", "web"}


def test_what_it_imports_is_declared(installed: Path, tmp_path: Path) -> None:
    asked = "from importlib.metadata import requires; print(*requires('intact-lattice'), sep='\\n')"
    lines = _run(installed / "bin" / "python", "-c", asked, cwd=tmp_path, home=tmp_path).split()
    declared = {re.split(r"[<>=]", line)[0].lower() for line in lines}
    distributions = packages_distributions()
    assert {distributions[name][0].lower() for name in _imported()} <= declared


def test_it_serves_the_demo(installed: Path, tmp_path: Path) -> None:
    script = installed / "bin" / "lattice-web"
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        address = "127.0.0.1:{1}".format(*free.getsockname())
    _run(script, "migrate", "--verbosity", "0", cwd=tmp_path, home=tmp_path)
    link = (
        _run(script, "demo", "--address", f"http://{address}", cwd=tmp_path, home=tmp_path)
        .split("owner: ")[1]
        .split()[0]
    )
    assert (tmp_path / ".local" / "state" / "intact-lattice" / "lattice.sqlite3").exists()
    environment = {"HOME": str(tmp_path), "PATH": os.environ["PATH"], "LATTICE_DEMO": "1"}
    with subprocess.Popen([script, "serve", "--listen", address], cwd=tmp_path, env=environment) as server:
        try:
            page = _read(link)
            assert "Night Ferry" in page
            for asset in re.findall(r'(?:href|src)="(/static/[^"#]+)"', page):
                assert _read(f"http://{address}{asset}")
        finally:
            server.terminate()


def _read(url: str) -> str:
    """A page, as soon as the server answers; cookies are stored, as sign-in is a redirect."""
    opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor())
    for _ in range(600):  # files are gathered first, on a machine that may be busy
        try:
            return str(opener.open(url, timeout=60).read().decode(errors="replace"))
        except (ConnectionError, urllib.error.URLError):
            time.sleep(0.1)
    raise TimeoutError(url)
