"""The application with its demo data on a database of its own in a temporary folder, for pictures and measurements."""

from __future__ import annotations

import os
import re
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
    """Serves the demo and a generated template of `large` strips; gives the link that signs its owner in."""
    with served_to_all(address, large) as links:
        yield links["owner"]


@contextmanager
def served_to_all(address: str, large: int = 300) -> Iterator[dict[str, str]]:
    """As `served`; gives the links of all people of the demo, by role."""
    with tempfile.TemporaryDirectory() as folder:
        environment = {**os.environ, "LATTICE_VAR": folder, "LATTICE_DEMO": "1"}

        def run(*words: str) -> str:
            command = [sys.executable, *words]
            return subprocess.run(command, cwd=ROOT, env=environment, check=True, capture_output=True, text=True).stdout

        run("manage.py", "migrate", "--verbosity", "0")
        told = run("manage.py", "demo", "--large", str(large), "--address", f"http://{address}")
        links = dict(re.findall(r"(owner|editor|reader): (\S+)", told))
        serve = [sys.executable, "manage.py", "serve", "--listen", address, "--no-worker"]
        with subprocess.Popen(serve, cwd=ROOT, env=environment, stderr=subprocess.DEVNULL) as server:
            try:
                _wait_for(f"http://{address}/sign-in/")
                yield links
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
