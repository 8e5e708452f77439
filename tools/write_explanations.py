"""Writes docs/findings.md, every code with what there is to know of it, from the texts beside the checks.

python tools/write_explanations.py
"""

from __future__ import annotations

import sys
from pathlib import Path

from lattice.bench.prints import codes  # noqa: F401 - and this one registers what readings find
from lattice.checks import audit  # noqa: F401 - its import registers every check with its texts
from lattice.checks.registry import EXPLANATIONS

PAGE = Path(__file__).resolve().parent.parent / "docs" / "findings.md"
LEAD = """# What the audit finds

Every code with what is found, why it matters on the job, how it is computed, and what usually puts it right. The same
texts stand beside an opened matter in the application, and `lattice explain CODE` prints them. This page is written by
`tools/write_explanations.py`; the texts are beside the checks.
"""


def page() -> str:
    """The text of the page: codes by their first word, in the order of the alphabet."""
    parts, family = [LEAD], ""
    for code in sorted(EXPLANATIONS):
        one = EXPLANATIONS[code]
        if code.partition(".")[0] != family:
            family = code.partition(".")[0]
            parts.append(f"## {family}\n")
        parts.append(
            f"**`{code}`**: {one.found}\n\n- *Why it matters:* {one.why}\n- *How it is computed:* {one.how}\n"
            f"- *What usually puts it right:* {one.fix}\n"
        )
    return "\n".join(parts)


if __name__ == "__main__":
    PAGE.write_text(page(), encoding="utf-8")
    sys.stdout.write(f"{PAGE.name}: {len(EXPLANATIONS)} codes\n")
