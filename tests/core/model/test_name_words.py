"""The tables of docs/reference/names.md: roles, tags, and names that belong together."""

from __future__ import annotations

import pytest

from lattice.model.name_words import belong_together, role_of, words_of

ROLES = {
    "bus": ["Drum bus", "Buses", "Vox grp", "GROUP 3", "Sub", "Strings submix", "Subgroup L", "Sum", "Folder", "Stack", "Drum parallel", "Vox crush", "Parallel compression", "Trigger bus"],
    "master": ["Master", "Mix bus", "Main mix", "2-mix", "Stereo bus", "Mix", "Drum mix"],
    "return": ["Reverb", "Vox verb", "Plate 2", "Chamber", "Echoes", "Delay L", "Slap", "Chorus", "Return 4", "FX rtn", "Reverb bus", "Plate aux"],
    "return?": ["Hall", "Drum room", "Effect", "Effects", "FX 3"],
    "print": ["Print Strings", "Strings print", "PRT mix", "Mix bounce", "Vocal rec", "Strings stem", "Record"],
    "output": ["Output", "Main out", "Out 1-2", "Out 3/4", "Out", "Monitors", "Speakers", "Phones", "Phones 2", "Headphones", "Headphone", "Cue out 2"],
    "midi": ["Midi", "Strings MIDI", "Piano notes", "Keyboard"],
    "aux": ["Aux 3", "Aux"],
    "": ["Kick", "Kick in", "Kick out", "Snare out 2", "Sub bass", "Slap bass", "Chamber strings", "Chorus vox", "Aux percussion", "Speaker voice", "Phone voice", "Phone", "Phone 2", "Speaker 1", "Pop vocal", "Guide vocal", "Stem", "Lead out", "Temp mix 2 keys", "Bass", "Brass", "12", ""],
}  # fmt: skip
TAGS = {
    "click": ["Click", "Metronome", "Click bus", "CLICK L"],
    "reference": ["Reference", "Ref 2", "Reference mix", "Song ref"],
    "guide": ["Guide", "Guide picture", "Temp"],
    "talkback": ["Talkback", "TB"],
    "pop": ["Pop", "Sync pop", "2-pop"],
    "trigger": ["Trigger", "Kick trigger", "Side-chain trigger", "Sidechain triggers"],
    "spare": ["Spare 4", "Free"],
}


@pytest.mark.parametrize(("kind", "name"), [(kind, name) for kind, names in ROLES.items() for name in names])
def test_the_head_of_a_name_tells_its_kind(kind: str, name: str) -> None:
    assert (role_of(name).kind, role_of(name).tag) == (kind, "")


@pytest.mark.parametrize(("tag", "name"), [(tag, name) for tag, names in TAGS.items() for name in names])
def test_the_whole_name_or_its_head_tells_a_tag(tag: str, name: str) -> None:
    assert (role_of(name).kind, role_of(name).tag) == ("audio", tag)
    assert role_of(name).term in " ".join(words_of(name))


@pytest.mark.parametrize(
    ("name", "tags"), [("Guide vocal", ("guide",)), ("Trigger keys", ("trigger",)), ("Pop vocal", ()), ("Kick", ())]
)
def test_before_another_word_a_tag_is_only_suggested(name: str, tags: tuple[str, ...]) -> None:
    assert (role_of(name).tag, role_of(name).suggested) == ("", tags)


@pytest.mark.parametrize(
    ("name", "others", "found"),
    [
        ("Print Strings", {"s": "Strings", "b": "Brass"}, "s"),
        ("Strings print", {"s": "Strings bus", "b": "Brass bus"}, "s"),
        ("Strings print", {"s": "Strings", "t": "Strings bus"}, "s"),  # the nearer of two
        ("Strings print", {"s": "Strings bus", "t": "Strings stack"}, None),
        ("Strings print", {"s": "Strings", "t": "strings"}, None),
        ("Drum print", {"d": "Drums"}, "d"),
        ("Mix print", {"m": "Mix", "d": "Drum mix"}, "m"),
        ("Print 2", {"p": "Strings 2"}, None),
        ("Reverb print", {"r": "Reverb", "x": "Plate"}, "r"),
        ("Print", {"a": "Bus"}, None),
    ],
)
def test_names_belong_together_without_the_words_of_roles(name: str, others: dict[str, str], found: str | None) -> None:
    assert belong_together(name, others) == found
