"""Templates of our own to start from. Each is whole, without a blocker and without a warning."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

from lattice.model.document import Template
from web.shelf.sheets import small_picture
from web.shelf.starting.backgrounds import backgrounds
from web.shelf.starting.band import band
from web.shelf.starting.beat import beat
from web.shelf.starting.first_three import ensemble, picture, voices
from web.shelf.starting.live_set import live_set
from web.shelf.starting.orchestra import orchestra


@dataclass(frozen=True)
class Starter:
    """One of them: its name, its idea in a paragraph, and its builder."""

    id: str
    name: str
    words: str
    make: Callable[[], Template]


STARTERS = {
    one.id: one
    for one in (
        Starter(
            "voices",
            "Voice and guests",
            "A host and three guests on microphones. The voice bus keys a compressor on the music bus, so "
            "speech lowers the music. One stereo mix with a ceiling is printed.",
            voices,
        ),
        Starter(
            "beat",
            "Beat with duckers",
            "Drums, bass, chords and a voice. A trigger track plays with the kick and reaches nothing but "
            "keys. It ducks bass and chords, so the ducking stays when the kick is muted. Room and echo are "
            "shared.",
            beat,
        ),
        Starter(
            "band",
            "Band with headphone mixes",
            "Ten microphones and lines, and four headphone mixes. Each player gets pre-fader sends, so the "
            "mix can change without changing the headphones. The click reaches headphones only.",
            band,
        ),
        Starter(
            "live-set",
            "Live set",
            "Five songs, one section each, with backing tracks. They alternate: levels count the loudest song "
            "only. Voice and guitar play on stage. Ears get songs, stage and click before the faders.",
            live_set,
        ),
        Starter(
            "ensemble",
            "Ten-piece ensemble",
            "Six players on microphones, and strings from samples on a second machine. Families have buses, "
            "and one hall serves them all.",
            ensemble,
        ),
        Starter(
            "orchestra",
            "Orchestra on two machines",
            "The main computer has the notes, the second one plays them. Four families return over ties of "
            "their own to section buses. Each has a print beside the mix, and two halls give near and far.",
            orchestra,
        ),
        Starter(
            "picture",
            "Picture in 5.1",
            "Dialogue, music and effects on buses in 5.1, each with its room and its print. The prints add up "
            "to the mix. The guide track reaches headphones only.",
            picture,
        ),
        Starter(
            "backgrounds",
            "Backgrounds to picture",
            "Sides A and B alternate from scene to scene, a third side takes late inserts. Mono rows go through "
            "a panner with a position for each, stereo rows go straight in. Each side has a backup and a print.",
            backgrounds,
        ),
    )
}


@lru_cache
def picture_of(starter: str) -> str:
    """A small picture of a starter's map."""
    return small_picture(STARTERS[starter].make())
