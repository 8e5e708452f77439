"""An insert in words, as lists, cells and forms have it."""

from __future__ import annotations

from msgspec.structs import replace

from lattice.formats.insert_cells import INSERT_TYPES, read_insert, read_named_insert
from lattice.formats.tables.words import insert_type_of
from lattice.model.document import Insert


def insert_of_words(entry: str, new_id: str) -> Insert:
    """The insert that an entry means: by the words of the track sheet, else a processor by its name.

    Parameters
    ----------
    entry
        “compressor ratio 4”, “Low cut low-cut 80 Hz”, “plate verb wet 20%”.
    new_id
        Its id if the entry has none.

    Raises
    ------
    ValueError
        With a sentence.
    """
    try:
        found = read_insert(entry, new_id)
        is_stated = ":" in entry.partition("=")[0].split()[0]
        return found if is_stated else replace(found, latency_samples=None)
    except ValueError:
        if entry.lower().split()[0].partition(":")[0] in INSERT_TYPES:
            raise
        return read_named_insert(entry, new_id, insert_type_of)
