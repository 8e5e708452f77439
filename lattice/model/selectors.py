"""Selectors: which strips a rule is about. `strip:ID`, `tag:T`, `section:ID` (with its children), `kind:K`, `*`.

A list is a union; a leading `!` excludes, at any place in it. A list of exclusions alone applies to all strips.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping

from lattice.model.document import Strip, Template

ALL = "*"
ALL_WORDS = frozenset(("", "*", "all", "every source", "everything"))
HEADS = ("tag:", "section:", "kind:", "strip:")


def select(template: Template, selectors: Iterable[str]) -> frozenset[int]:
    """Numbers of the strips that a list of selectors names.

    Parameters
    ----------
    template
        The template.
    selectors
        Like "tag:drums", "section:voices", "kind:bus", "strip:kick" or "*"; one with "!" before it takes strips away,
        from all of them where there is nothing else. A section counts with those inside it.

    Returns
    -------
    frozenset of int
        Positions in `template.strips`. O(strips · selectors).
    """
    wanted: list[str] = []
    unwanted: list[str] = []
    for selector in selectors:
        (unwanted if selector.startswith("!") else wanted).append(selector.removeprefix("!"))
    if unwanted and not wanted:
        wanted = ["*"]
    parents = {section.id: section.parent for section in template.sections}
    takes, leaves = ([_meant(one, parents) for one in some] for some in (wanted, unwanted))
    return frozenset(
        strip_number
        for strip_number, strip in enumerate(template.strips)
        if any(_is(strip, one) for one in takes) and not any(_is(strip, one) for one in leaves)
    )


def _meant(selector: str, parents: dict[str, str | None]) -> tuple[str, frozenset[str]]:
    """The head of a selector and its possible values; a section includes those inside it."""
    head, _, value = selector.partition(":")
    values = {value}
    while head == "section":
        inside = {section for section, parent in parents.items() if parent in values} - values
        if not inside:
            break
        values |= inside
    return head, frozenset(values)


def _is(strip: Strip, meant: tuple[str, frozenset[str]]) -> bool:
    head, values = meant
    if head == "*":
        return True
    if head == "tag":
        return not values.isdisjoint(strip.tags)
    return {"strip": strip.id, "section": strip.section, "kind": strip.kind}[head] in values


def sentence_of(template: Template, selectors: Iterable[str]) -> str:
    """Selectors as people say them: “Narration and everything tagged click, but not Whistle”."""
    names = {f"strip:{strip.id}": strip.name for strip in template.strips}
    names |= {f"section:{section.id}": f"the section {section.name}" for section in template.sections}
    wanted: list[str] = []
    unwanted: list[str] = []
    for selector in selectors:
        bare = selector.removeprefix("!")
        head, _, value = bare.partition(":")
        known = {"*": "everything", "tag": f"strips tagged {value}", "kind": f"any {value}"}
        words = names.get(bare) or known.get(head, bare)
        (unwanted if selector.startswith("!") else wanted).append(words)
    if unwanted and not wanted:
        wanted = ["everything"]
    said = _joined(wanted) or "nothing"
    return f"{said}, except {_joined(unwanted)}" if unwanted else said


def _joined(words: list[str]) -> str:
    return " and ".join(filter(None, [", ".join(words[:-1]), *words[-1:]]))


def selectors_of(template: Template, text: str) -> list[str]:
    """The selectors of a list as people type it: names of strips or sections, “all”, or selectors themselves.

    Parameters
    ----------
    template
        The template whose names are used.
    text
        Entries with semicolons between; without one also with commas, unless the whole is a name.

    Returns
    -------
    list of str
        A section goes before a strip of its name.

    Raises
    ------
    ValueError
        With a sentence about the first entry that is none of them.
    """
    sections = {section.name.casefold(): f"section:{section.id}" for section in reversed(template.sections)}
    strips = {strip.name.casefold(): f"strip:{strip.id}" for strip in reversed(template.strips)}
    known = {**strips, **{strip.id: f"strip:{strip.id}" for strip in template.strips}, **sections}
    found: list[str] = []
    for entry in _entries(text, known):
        plain = entry.casefold()
        is_selector = entry.removeprefix("!").startswith(HEADS)
        meant = ALL if plain in ALL_WORDS else entry if is_selector else known.get(plain)
        if meant is None:
            raise ValueError(f"“{entry}” is not the name of a strip or section, or “all”")
        found.append(meant)
    return list(dict.fromkeys(found)) or [ALL]


def _entries(text: str, known: Mapping[str, str]) -> list[str]:
    whole = " ".join(text.split())
    if whole.casefold() in known or ";" in whole:
        return [entry.strip() for entry in whole.split(";") if entry.strip()]
    entries = [entry.strip() for entry in whole.split(",") if entry.strip()]
    is_several = all(word.removeprefix("!").startswith(HEADS) for word in whole.split())
    return whole.split() if is_several else entries


def names_of(template: Template, selectors: Iterable[str]) -> str:
    """Selectors as `selectors_of` reads them: “all”, or names with semicolons between."""
    names = {f"section:{section.id}": section.name for section in template.sections}
    counts = Counter(strip.name.casefold() for strip in template.strips)
    taken = {name.casefold() for name in names.values()}
    for strip in template.strips:
        is_plain = counts[strip.name.casefold()] == 1 and strip.name.casefold() not in taken and ";" not in strip.name
        names[f"strip:{strip.id}"] = strip.name if is_plain else f"strip:{strip.id}"
    return "; ".join("all" if one == ALL else names.get(one, one) for one in selectors)
