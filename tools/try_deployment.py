"""Try docs/deploy.md as written: runs its blocks marked `sh`, one after the other, in a fresh Debian root.

python tools/try_deployment.py ROOT [MIRROR]

ROOT is an empty folder, or one that debootstrap has filled; needs to be root. Folders that the package settings of this
machine point into are named in TRY_BIND, with colons between.

There is no systemd inside, so `systemctl` is a substitute that reads the units: it runs their ExecStartPre and
ExecStart as their User with their EnvironmentFile, and stops what it has started. It leaves out the sandbox of the
units, which `systemd-analyze verify` checks if available. The package index is that of this machine.
"""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

TREE = Path(__file__).resolve().parent.parent
PACKAGES = "python3,python3-venv,ca-certificates,curl,libpango-1.0-0,libpangoft2-1.0-0,libharfbuzz-subset0"
SYSTEMCTL = r'''#!/usr/bin/python3
"""Runs units as systemd would, as far as starting and stopping goes."""
import os, pwd, re, shlex, signal, subprocess, sys, time
from pathlib import Path
UNITS, RUN = Path("/etc/systemd/system"), Path("/run/units")
RUN.mkdir(exist_ok=True)
def said(unit, key):
    return re.findall(rf"^{key}=(.*)$", (UNITS / unit).read_text(), re.M)
def start(unit):
    if unit.endswith(".timer"):
        return
    user = pwd.getpwnam(said(unit, "User")[0])
    env = {"PATH": "/usr/bin:/bin"}
    for line in Path(said(unit, "EnvironmentFile")[0]).read_text().splitlines():
        if line and not line.startswith("#"):
            name, _, value = line.partition("=")
            env[name] = value
    def become():
        os.setsid(); os.setgid(user.pw_gid); os.setuid(user.pw_uid)
    for command in said(unit, "ExecStartPre"):
        subprocess.run(shlex.split(command), env=env, preexec_fn=become, check=True)
    for command in said(unit, "ExecStart"):
        log = open(f"/run/units/{unit}.log", "ab")
        process = subprocess.Popen(shlex.split(command), env=env, preexec_fn=become, stdout=log, stderr=log)
        if said(unit, "Type") == ["oneshot"]:
            if process.wait():
                sys.exit(open(log.name).read())
        else:
            (RUN / unit).write_text(str(process.pid))
    if said(unit, "Type") != ["oneshot"]:
        time.sleep(6)
        if process.poll() is not None:
            sys.exit(open(log.name).read())
def stop(unit):
    if (RUN / unit).exists():
        try:
            os.killpg(int((RUN / unit).read_text()), signal.SIGTERM)
            time.sleep(2)
        except ProcessLookupError:
            pass
        (RUN / unit).unlink()
verb, units = sys.argv[1], [one for one in sys.argv[2:] if not one.startswith("--")]
for unit in units:
    if verb in ("stop", "restart", "disable"):
        stop(unit)
    if verb in ("start", "restart", "enable"):
        start(unit)
'''


def main() -> None:
    root = Path(sys.argv[1]).resolve()
    if not (root / "usr").exists():
        mirror = sys.argv[2:3]
        subprocess.run(
            ["debootstrap", "--variant=minbase", f"--include={PACKAGES}", "bookworm", str(root), *mirror], check=True
        )
    work = root / "srv" / "release"
    shutil.rmtree(work, ignore_errors=True)
    (work / "dist").mkdir(parents=True)
    wheel = [
        sys.executable,
        "-m",
        "pip",
        "wheel",
        "--quiet",
        "--no-deps",
        "--no-build-isolation",
        "-w",
        str(work / "dist"),
        ".",
    ]
    subprocess.run(wheel, cwd=TREE, check=True)
    for folder in ("deploy", "requirements"):
        shutil.copytree(TREE / folder, work / folder)
    _settings_of_this_machine(root)
    stand_in = root / "usr" / "local" / "bin" / "systemctl"
    stand_in.write_text(SYSTEMCTL)
    stand_in.chmod(0o755)
    mounts = ["/proc", "/dev", *os.environ.get("TRY_BIND", "").split(":")]
    mounts = [place for place in mounts if place]
    for place in mounts:
        (root / place[1:]).mkdir(parents=True, exist_ok=True)
        subprocess.run(["mount", "--bind", place, str(root / place[1:])], check=True)
    try:
        for number, block in enumerate(_blocks(), start=1):
            print(f"--- {number}\n{block}", flush=True)
            subprocess.run(
                ["chroot", str(root), "/bin/sh", "-e"], input=f"cd /srv/release\n{block}", text=True, check=True
            )
    finally:
        for place in mounts:
            subprocess.run(["umount", "--lazy", str(root / place[1:])], check=False)
    print("all blocks ran")


def _blocks() -> list[str]:
    return re.findall(r"^```sh\n(.*?)^```", (TREE / "docs" / "deploy.md").read_text(), re.M | re.S)


def _settings_of_this_machine(root: Path) -> None:
    """Where this machine gets packages from: part of it, and not of the page."""
    for name in ("etc/pip.conf", "etc/resolv.conf", "etc/hosts", "etc/ssl/certs/ca-certificates.crt"):
        there = Path("/") / name
        if there.is_file():
            (root / name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy(there, root / name)


if __name__ == "__main__":
    main()
