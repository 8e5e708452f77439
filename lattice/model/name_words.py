"""Roles and tags that the name of a strip tells (docs/reference/names.md, *The head of a name*).

A name is read from its head: its last word, numbers and sides aside. “Slap bass” is a bass, “Drum bus” a bus.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

WORD = re.compile(r"[^\W_]+(?:[-’'][^\W_]+)*")
SIDES = frozenset({"l", "r"})
NUMBER = re.compile(r"\d+(?:[-–]\d+)?")

# Kind of strip, by term.
KINDS: dict[str, tuple[str, ...]] = {
    "bus": (
        "bus", "buss", "group", "grp", "sub", "submix", "subgroup", "sum", "folder", "stack", "parallel", "crush",
        "parallel compression",
    ),
    "master": ("master", "mix bus", "main mix", "2-mix", "stereo bus", "mix"),
    "return": ("reverb", "verb", "plate", "chamber", "echo", "delay", "slap", "chorus", "return", "rtn"),
    "print": ("print", "prt", "record", "rec", "bounce", "stem"),
    "output": (
        "output", "main out", "out", "monitor", "speaker", "phone", "headphone", "cue out",
    ),
    "midi": ("midi", "note", "keyboard"),
}  # fmt: skip
# Places of sound and effects: a return only among sends. In picture work effects are sources.
PERHAPS_RETURN = ("hall", "room", "effect", "fx")
AUX = "aux"
TAGS: dict[str, tuple[str, ...]] = {
    "click": ("click", "metronome"),
    "reference": ("reference", "ref"),
    "guide": ("guide", "guide picture", "temp"),
    "talkback": ("talkback", "tb"),
    "pop": ("sync pop", "2-pop", "pop"),
    "trigger": ("trigger", "side-chain trigger", "sidechain trigger"),
    "spare": ("spare", "free"),
}
WINNING_TAGS = frozenset({"reference", "guide", "click"})  # before “mix” and “bus”
ALONE = frozenset({"pop", "mix", "temp"})  # mean this only as the whole name
ONLY_PLURAL = frozenset({"phone", "speaker"})  # one phone is a caller, one speaker is a voice
PRINT_WORDS = frozenset({"print", "prt"})
INSTRUMENT_WORDS = frozenset({"instrument", "sampler", "synth", "player"})
# Behind these, “in” and “out” are the places of a microphone.
DRUM_WORDS = frozenset(
    {"kick", "snare", "tom", "hat", "hihat", "cymbal", "ride", "crash", "overhead", "oh", "drum", "floor", "bd", "sd"}
)
BASS_WORDS = frozenset({"bass", "sub", "kick"})
CUE_WORDS = frozenset({"headphone", "phone", "cue", "foldback", "hp"})
DUCK_WORDS = frozenset({"duck", "ducker", "side-chain", "sidechain", "sc"})
MASTER_RANK = ("master", "mix bus", "main mix", "2-mix", "stereo bus", "mix")  # the most like “master” first


@dataclass(frozen=True)
class Role:
    """What a name tells of its strip."""

    kind: str = ""  # a kind of strip; empty: none is told, and it plays something
    tag: str = ""
    term: str = ""  # the words it was read from
    suggested: tuple[str, ...] = ()  # tags of words before the head


def singular(word: str) -> str:
    """A folded word without the ending of a plural."""
    if word.endswith(("sses", "uses", "oes")):
        return word[:-2]
    return word[:-1] if len(word) > 2 and word.endswith("s") and not word.endswith(("ss", "us", "bass")) else word


@lru_cache(maxsize=1 << 14)
def words_of(name: str) -> tuple[str, ...]:
    """Its words, folded and singular; numbers and sides among them."""
    return tuple(singular(word) for word in WORD.findall(name.casefold().replace("–", "-")))


def _is_aside(word: str) -> bool:
    return word in SIDES or NUMBER.fullmatch(word) is not None


def core_of(name: str) -> tuple[str, ...]:
    """Its words without numbers and sides."""
    return tuple(word for word in words_of(name) if not _is_aside(word))


def _terms() -> list[tuple[tuple[str, ...], str, str]]:
    """(words, kind, tag), the longest first."""
    kinds = [(term, kind, "") for kind, terms in KINDS.items() for term in terms]
    tags = [(term, "audio", tag) for tag, terms in TAGS.items() for term in terms]
    perhaps = [(term, "return?", "") for term in PERHAPS_RETURN]
    found = [(tuple(term.split()), kind, tag) for term, kind, tag in (*kinds, *tags, *perhaps, (AUX, "aux", ""))]
    return sorted(found, key=lambda entry: -len(entry[0]))


TERMS = _terms()
RETURN_WORDS = frozenset(KINDS["return"])
ROLE_WORDS = frozenset(word for words, _kind, _tag in TERMS for word in words)


@lru_cache(maxsize=1 << 14)
def role_of(name: str) -> Role:
    """The role that a name tells by itself.

    Parameters
    ----------
    name
        Any name of a strip.

    Returns
    -------
    Role
        Its kind is empty where nothing is told; “return?” where it is one only among sends; “aux” where inserts,
        inputs and sends decide. In O(words), cached.
    """
    core = core_of(name)
    if not core or (len(core) > 1 and core[-1] in ("in", "out") and core[-2] in DRUM_WORDS):
        return Role(term=core[-1] if core else "")
    printing = next((word for word in core if word in PRINT_WORDS), "")
    if printing:
        return Role("print", term=printing)
    suggested = tuple(
        tag for tag, terms in TAGS.items() if tag not in ALONE and any(term in core[:-1] for term in terms)
    )
    found = next(((words, kind, tag) for words, kind, tag in TERMS if core[-len(words) :] == words), None)
    if found is None or not _is_told(name, found[0], core):
        return Role(suggested=suggested)
    words, kind, tag = found
    return _won(core[: -len(words)], words, kind) or Role(kind, tag, " ".join(words), () if tag else suggested)


def _is_told(name: str, words: tuple[str, ...], core: tuple[str, ...]) -> bool:
    """Return whether the words at the head mean their role: some do only alone, behind a name, or with a number."""
    before, term = core[: -len(words)], " ".join(words)
    if term in ONLY_PLURAL and f"{term}s" not in WORD.findall(name.casefold()):
        return False
    if term == "stem":
        return bool(before)
    if term == "out":
        return not before or any(NUMBER.fullmatch(word) for word in words_of(name))
    return not before or term not in ALONE or term == "mix"


def _won(before: tuple[str, ...], words: tuple[str, ...], kind: str) -> Role | None:
    """The role of a word before “bus”, “aux” or “mix” that wins over it; None without one."""
    if words[-1] in ("bus", "buss", AUX):
        effect = next((word for word in before if word in RETURN_WORDS), "")
        if effect:
            return Role("return", term=effect)
    won = next((word for word in before if _tag_of(word)), "")
    return Role("audio", _tag_of(won), won) if won and kind in ("master", "bus") else None


def _tag_of(word: str) -> str:
    """The tag of a word that wins over “mix” and “bus”."""
    return next((tag for tag in TAGS if tag in WINNING_TAGS and word in TAGS[tag] and word not in ALONE), "")


def is_mix_name(name: str) -> bool:
    """Return whether a name says mix or master."""
    return bool({"mix", "master", "2-mix"} & set(words_of(name)))


def is_cue_name(name: str) -> bool:
    """Return whether a name says headphones or cue."""
    return not CUE_WORDS.isdisjoint(words_of(name))


@lru_cache(maxsize=1 << 16)  # asked for every strip, of the largest templates too
def is_bass_name(name: str) -> bool:
    """Return whether a name says bass, sub or kick."""
    return not BASS_WORDS.isdisjoint(words_of(name))


def is_duck_name(name: str) -> bool:
    """Return whether the name of an insert says ducker."""
    return not DUCK_WORDS.isdisjoint(words_of(name))


@lru_cache(maxsize=1 << 14)
def plain_name(name: str) -> tuple[str, ...]:
    """A name without the words of prints: “Print Strings”, “Strings print” and “Strings” are the same."""
    words = words_of(name)
    return tuple(word for word in words if word not in (*PRINT_WORDS, "stem")) or words


@lru_cache(maxsize=1 << 14)
def base_name(name: str) -> tuple[str, ...]:
    """A name without words of roles: “Strings bus” and “Print Strings” belong together."""
    words = words_of(name)
    kept = tuple(word for word in words if word not in ROLE_WORDS)
    return kept if any(not _is_aside(word) for word in kept) else plain_name(name)


def belong_together(name: str, others: Mapping[str, str]) -> str | None:
    """The only thing whose name belongs with a name; None without one, or with several.

    Parameters
    ----------
    name
        Of a print or deliverable.
    others
        Id → name of what may belong to it.

    Returns
    -------
    str or None
        Names that differ by words of prints alone come first, then those that differ by words of roles.
    """
    for part in (plain_name, base_name):
        found = [one for one, other in others.items() if part(other) == part(name)]
        if found:
            return found[0] if len(found) == 1 else None
    return None
