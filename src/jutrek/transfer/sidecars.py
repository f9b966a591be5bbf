"""What stands in an XMP sidecar that Jutrek writes for a reason of its own; see `jutrek.wording` for how.

Beside what comes home: its corrected date (`exif:DateTimeOriginal`), the name it had on its source
(`xmpMM:PreservedFileName`), and what the house says of all that comes. The file itself keeps its own times and words.
The sidecar is new, whole and durable, or not there; what stands under its name already is left as it is.
"""

from __future__ import annotations

import os
from typing import NamedTuple

from jutrek.disk import Outside, Tree, inside
from jutrek.errors import reason
from jutrek.filing import HouseRules, Row
from jutrek.filing.arrival import KEYWORD
from jutrek.wording.caption import Caption, with_caption
from jutrek.wording.keywords import Change
from jutrek.wording.packet import Packet, written
from jutrek.wording.properties import LABEL, PRESERVED_NAME, SHOT, SUBJECT, Field
from jutrek.wording.spelling import key
from jutrek.wording.tree import BETWEEN

_PREFIXES = ("exif", "xmpMM", "dc", "Iptc4xmpCore", "photoshop")


class Said(NamedTuple):
    """What is to be said of a file; empty for nothing.

    Attributes:
        title, place, job, creator, rights, keywords: as in `Wording`.
        date: when it was shot, ISO 8601.
    """

    title: str = ""
    place: str = ""
    job: str = ""
    creator: str = ""
    rights: str = ""
    keywords: tuple[str, ...] = ()
    date: str = ""

    def __bool__(self) -> bool:
        return any(self[:])


def with_words(old: bytes, said: Said) -> bytes:
    """A sidecar that says more than an old one, and all that that one said; a new one where there is none.

    Raises:
        ValueError: when the old one is no XMP packet.
    """
    packet = Packet(old, _PREFIXES)
    if said.date:
        packet.say(SHOT, said.date)
    for field, text in (
        (Field.TITLE, said.title), (Field.RIGHTS, said.rights), (Field.CREATOR, said.creator),
        (Field.PLACE, said.place), (Field.JOB, said.job),
    ):  # fmt: skip
        if text:
            packet.say(field.value, text)
    if said.keywords:
        known = packet.items(SUBJECT)
        have = set(map(key, known))
        packet.have(SUBJECT, [*known, *(word for word in said.keywords if key(word) not in have)])
    return bytes(packet)


def with_label(old: bytes, label: str) -> bytes:
    """A sidecar whose label (`xmp:Label`, part 2 section 8.4) is another one, and that keeps all else.

    Args:
        old: what it says so far; empty where there is none.
        label: what it is to be; empty to say that there is none, also where the file itself has one.

    Raises:
        ValueError: when the old one is no XMP packet.
    """
    packet = Packet(old, ("xmp",))
    if packet.values(LABEL) == [written(label)]:
        return old
    packet.say(LABEL, label, inline=True)
    return bytes(packet)


def sidecar_text(row: Row, rules: HouseRules) -> bytes:
    """The sidecar of a row, as the rules want it.

    Raises:
        ValueError: when the row says what nobody can say of a file.
    """
    packet = Packet(b"", _PREFIXES)
    if rules.sidecars and row.by.shift:
        packet.say(SHOT, row.by.moment)
    if rules.originals:
        packet.say(PRESERVED_NAME, os.path.basename(row.source))
    return with_caption(bytes(packet), caption_of(row)) if row.says else bytes(packet)


def caption_of(row: Row) -> Caption:
    """What is said of a row by the house."""
    words = tuple(tuple(value.split(BETWEEN)) for name, value in row.says if name == KEYWORD)
    known = {field.word: field for field in Field}
    fields = {known[name]: value for name, value in row.says if name in known}
    return Caption(Change(add=words), fields)


def write_sidecar(library: Tree, row: Row, rules: HouseRules) -> tuple[str, tuple[int, int]]:
    """Write the sidecar of a row that is home.

    Returns:
        Why it was not written, or an empty string; and its size and time of last change.
    """
    try:
        path = inside(row.sidecar)
        library.write_new(path, sidecar_text(row, rules))
        status = library.lstat(path)
    except Outside as error:
        return f"Its sidecar was not written beside it: its path is {error}.", (0, 0)
    except OSError as error:
        return f"Its sidecar was not written beside it: {reason(error)}.", (0, 0)
    return "", (status.st_size, status.st_mtime_ns)
