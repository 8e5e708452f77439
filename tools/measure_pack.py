"""Times the release packs of Night Ferry and of a generated template, and checks that a second run is identical."""

from __future__ import annotations

import os
import sys
from datetime import UTC, datetime
from time import perf_counter

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "web.config.settings")
django.setup()

from lattice.changes.digests import document_digest
from lattice.generate import generate
from web.revisions.models import Revision
from web.revisions.pack import make_pack
from web.shelf.demo import night_ferry
from web.shelf.heads import head_of


def main() -> int:
    for template in (night_ferry.clean(), generate(int(sys.argv[1]) if len(sys.argv) > 1 else 300)):
        revision = Revision(number=1, note="Measured", by="I. Strand", version=1, head=head_of(template))
        revision.digest, revision.at = document_digest(template), datetime(2026, 1, 31, tzinfo=UTC)
        start = perf_counter()
        first = make_pack(revision)
        took = perf_counter() - start
        same = "the same again" if make_pack(revision) == first else "NOT the same again"
        print(f"{template.name}: {took:.1f} s, {len(first) // 1024} KiB, {same}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
