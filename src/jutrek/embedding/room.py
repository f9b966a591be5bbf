"""The room that a file has for an XMP packet, and how a packet is dressed for it."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import NamedTuple

from jutrek.formats import Stretch
from jutrek.formats.splices import Splice

MAX_PACKET = 128 * 1024
"""Bytes of the longest packet that is written into a file."""
_BEGIN = '<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>\n'.encode()
_END = b'\n<?xpacket end="w"?>'
_DECLARED = re.compile(rb"\A(?:\xef\xbb\xbf)?\s*<\?xml[^>]*\?>\s*")


class Room(NamedTuple):
    """Where a file holds a packet, or would.

    Attributes:
        packet: the one that it holds; empty for none.
        at: where in the file that stands; None for none.
        put: what is to be replaced in the file so that it holds another one; nothing where that one is too long for it.
    """

    packet: bytes
    at: Stretch | None
    put: Callable[[bytes], list[Splice]]


def wrapped(packet: bytes) -> bytes:
    """A packet as it stands in a file: UTF-8, between its marks and without an XML declaration (ISO 16684-1 7.3)."""
    bare = _DECLARED.sub(b"", packet).rstrip()
    return bare if bare.startswith(b"<?xpacket") else _BEGIN + bare + _END
