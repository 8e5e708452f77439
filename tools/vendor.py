"""Fetch the browser's libraries, fonts and icons into web/static/vendor.

Run it only to change a version: everything it fetches is stored in the repository, so that neither set-up nor run time
needs the network. `--check` compares the files with the recorded SHA-256 sums. It uses the npm registry of the local
npm client.
"""

from __future__ import annotations

import argparse
import hashlib
import json
import re
import subprocess
import sys
import tarfile
import tempfile
from pathlib import Path

VENDOR = Path(__file__).resolve().parent.parent / "web" / "static" / "vendor"
MANIFEST = VENDOR / "vendor.json"

FONT_WEIGHTS = {"barlow-semi-condensed": (400, 500, 600), "ibm-plex-mono": (400, 500)}
ICONS = (
    "arrow-counterclockwise",
    "arrow-clockwise",
    "circle-half",
    "box-arrow-right",
    "trash",
    "download",
    "copy",
    "person",
)

# package, version, licence, {file in the package: file here}
PACKAGES: list[tuple[str, str, str, dict[str, str]]] = [
    ("bootstrap", "5.3.8", "MIT", {"dist/css/bootstrap.min.css": "bootstrap.min.css", "LICENSE": "bootstrap.LICENSE"}),
    ("htmx.org", "2.0.11", "0BSD", {"dist/htmx.min.js": "htmx.min.js", "LICENSE": "htmx.LICENSE"}),
    ("axe-core", "4.11.0", "MPL-2.0", {"axe.min.js": "axe.min.js", "LICENSE": "axe.LICENSE"}),
    ("bootstrap-icons", "1.13.1", "MIT", {f"icons/{icon}.svg": f"icons/{icon}.svg" for icon in ICONS}),
    *(
        (
            f"@fontsource/{font}",
            "5.2.7",
            "OFL-1.1",
            {
                **{
                    f"files/{font}-{subset}-{weight}-normal.woff2": f"fonts/{font}-{subset}-{weight}.woff2"
                    for subset in ("latin", "latin-ext")
                    for weight in weights
                },
                "LICENSE": f"fonts/{font}.LICENSE",
            },
        )
        for font, weights in FONT_WEIGHTS.items()
    ),
]


def sha256(path: Path) -> str:
    return hashlib.sha256(path.read_bytes()).hexdigest()


def fetch(package: str, version: str, files: dict[str, str]) -> None:
    with tempfile.TemporaryDirectory() as folder:
        command = ["npm", "pack", "--silent", f"{package}@{version}"]
        subprocess.run(command, cwd=folder, check=True, stdout=subprocess.DEVNULL)
        with tarfile.open(next(Path(folder).glob("*.tgz"))) as archive:
            for inside, here in files.items():
                member = archive.extractfile(f"package/{inside}")
                if member is None:
                    raise FileNotFoundError(f"{package}: {inside}")
                target = VENDOR / here
                target.parent.mkdir(parents=True, exist_ok=True)
                target.write_bytes(re.sub(rb"\n/[/*]# sourceMappingURL=[^\n]*", b"", member.read()))


def sprite() -> None:
    """One file with all icons as symbols, so that a page needs one request."""
    symbols = []
    for icon in ICONS:
        svg = (VENDOR / "icons" / f"{icon}.svg").read_text()
        body = re.sub(r"^<svg[^>]*>|</svg>\s*$", "", svg.strip()).strip()
        symbols.append(f'<symbol id="{icon}" viewBox="0 0 16 16">{body}</symbol>')
    (VENDOR / "icons.svg").write_text(f'<svg xmlns="http://www.w3.org/2000/svg">{"".join(symbols)}</svg>\n')


def manifest() -> list[dict[str, object]]:
    return [
        {
            "package": package,
            "version": version,
            "licence": licence,
            "sha256": {here: sha256(VENDOR / here) for here in files.values()},
        }
        for package, version, licence, files in PACKAGES
    ]


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--check", action="store_true", help="compare with the recorded checksums; fetch nothing")
    if parser.parse_args().check:
        good = json.loads(MANIFEST.read_text()) == manifest()
        print("shipped files match their checksums" if good else "shipped files differ from vendor.json")
        return 0 if good else 1
    for package, version, _licence, files in PACKAGES:
        fetch(package, version, files)
    sprite()
    MANIFEST.write_text(json.dumps(manifest(), indent=1) + "\n")
    return 0


if __name__ == "__main__":
    sys.exit(main())
