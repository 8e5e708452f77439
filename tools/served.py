"""The application with its demo data on a database of its own in a temporary folder, for pictures and measurements."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent


@contextmanager
def served(address: str, large: int = 300) -> Iterator[str]:
    """Serves the demo and a generated template of `large` strips; gives the link that signs in."""
    with tempfile.TemporaryDirectory() as folder:
        environment = {**os.environ, "LATTICE_VAR": folder, "LATTICE_DEMO": "1"}

        def run(*words: str) -> str:
            command = [sys.executable, *words]
            return subprocess.run(command, cwd=ROOT, env=environment, check=True, capture_output=True, text=True).stdout

        run("manage.py", "migrate", "--verbosity", "0")
        link = (
            run("manage.py", "demo", "--large", str(large), "--address", f"http://{address}")
            .split("owner: ")[1]
            .split()[0]
        )
        waitress = str(Path(sys.executable).parent / "waitress-serve")
        serve = [waitress, f"--listen={address}", "web.config.wsgi:application"]
        with subprocess.Popen(serve, cwd=ROOT, env=environment, stderr=subprocess.DEVNULL) as server:
            try:
                _wait_for(f"http://{address}/sign-in/")
                yield link
            finally:
                server.terminate()


def _wait_for(url: str) -> None:
    for _ in range(50):
        try:
            urllib.request.urlopen(url, timeout=1)  # noqa: S310 - our own server
        except OSError:
            time.sleep(0.2)
        else:
            return
    raise TimeoutError(f"{url} does not answer")
