"""Names that a reader cannot tell apart: signs that are not seen, and letters of other alphabets that look like Latin.

Unicode Technical Standard 39 compares names by a skeleton. The table below has the Cyrillic and Greek letters that look
the same in most typefaces (confusables.txt of that standard; from memory), and symbols that look alike.
"""

from __future__ import annotations

import unicodedata

from django.contrib.auth.models import User

CYRILLIC = dict(zip("авеіјкмнорсѕтухԁԛԝһ", "abeijkmhopcstyxdqwh", strict=True))
GREEK = dict(zip("αβγεικνορτυχω", "abyeikvoptuxw", strict=True))
ALIKE = {**CYRILLIC, **GREEK, "\N{LATIN SMALL LETTER DOTLESS I}": "l", "1": "l", "i": "l", "0": "o", "|": "l"}
UNSEEN = ("Cf", "Cc", "Mn", "Me", "Zs", "Zl", "Zp")


def skeleton(name: str) -> str:
    """A name as a reader sees it: two names with the same one look alike."""
    plain = unicodedata.normalize("NFKD", name.casefold())
    seen = (letter for letter in plain if unicodedata.category(letter) not in UNSEEN)
    latin = (ALIKE.get(letter, letter) for letter in seen)
    return "".join(ALIKE.get(letter, letter) for letter in latin)  # a Latin one may look like another


def has_unseen(name: str) -> bool:
    """Return whether it contains an invisible character; single spaces between words are none."""
    return any(unicodedata.category(letter) in ("Cf", "Cc", "Zl", "Zp") for letter in name)


def looks_like(name: str) -> User | None:
    """An account with a name that looks like this one."""
    wanted = skeleton(name)
    names = User.objects.values_list("pk", "username")
    found = next((number for number, known in names if skeleton(known) == wanted), None)
    return User.objects.filter(pk=found).first() if found is not None else None
