"""What is said of a capture, merged into a sidecar: keywords, title, description, who made it, under which rights."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from jutrek.wording.keywords import NO_CHANGE, Change, Keywords
from jutrek.wording.own import NOTHING, Own
from jutrek.wording.packet import Packet
from jutrek.wording.properties import CREATED_AT, CREATED_FIELDS, MARKED, Field

_PREFIXES = ("dc", "photoshop", "xmpRights", "Iptc4xmpCore", "Iptc4xmpExt", "jutrek")


@dataclass(frozen=True, slots=True)
class Caption:
    """What is to be said.

    Attributes:
        keywords: what becomes of them.
        fields: what else; an empty value takes it off.
    """

    keywords: Change = NO_CHANGE
    fields: Mapping[Field, str] = field(default_factory=dict)

    def __bool__(self) -> bool:
        return bool(self.keywords or self.fields)


def with_caption(old: bytes, wanted: Caption, own: Own = NOTHING) -> bytes:
    """A sidecar that says what is wanted, and all else that the old one says.

    A new one says what the files say themselves, too: other programs take what stands beside a file for all there is.

    Args:
        old: what it says so far; empty where there is none.
        wanted: what it is to say.
        own: what the files say themselves.

    Returns:
        The same where nothing would be changed.

    Raises:
        ValueError: when the old one is no packet, as a sentence.
    """
    packet = Packet(old, _PREFIXES)
    changed = _say_fields(packet, wanted.fields, own)
    keywords = Keywords(packet, own.keywords)
    before = keywords.all, keywords.branches
    keywords.change(wanted.keywords)
    changed = changed or (keywords.all, keywords.branches) != before
    if changed and (packet.new or wanted.keywords):
        keywords.write(packet)
    return bytes(packet) if changed else old


def carried(own: Own) -> bytes:
    """A new sidecar that says what files say themselves; empty where they say nothing.

    Other programs take what stands beside a file for all there is, so whatever is written there says this first.
    """
    if not own.keywords and not own.fields:
        return b""
    packet = Packet(b"", _PREFIXES)
    _say_fields(packet, {}, own)
    Keywords(packet, own.keywords).write(packet)
    return bytes(packet)


def _say_fields(packet: Packet, fields: Mapping[Field, str], own: Own) -> bool:
    changed = False
    for one, value in fields.items():
        if packet.text(one.value) == value.strip() and (value or packet.has(one.value) or one not in own.fields):
            continue
        changed = True
        if value or one in own.fields:
            packet.say(one.value, value.strip())
        else:
            packet.forget(one.value)
        if one is Field.RIGHTS and value and not packet.has(MARKED):
            packet.say(MARKED, "True")
    if changed and Field.CODE in fields and not packet.has(CREATED_AT):
        packet.add_structure(
            CREATED_AT, {CREATED_FIELDS[one]: value for one, value in fields.items() if value and one in CREATED_FIELDS}
        )
    if packet.new:
        for one, value in own.fields.items():
            if one not in fields:
                packet.say(one.value, value)
    return changed


def move_keyword(old: bytes, was: tuple[str, ...], now: tuple[str, ...], own: Own, *, alone: bool) -> bytes:
    """A sidecar in which a keyword is called otherwise, or stands elsewhere. Arguments as of `Keywords.move`.

    Raises:
        ValueError: when the old one is no packet, as a sentence.
    """
    packet = Packet(old, _PREFIXES)
    keywords = Keywords(packet, own.keywords)
    if not keywords.move(was, now, alone=alone):
        return old
    if packet.new:
        _say_fields(packet, {}, own)
    keywords.write(packet)
    return bytes(packet)
