"""GIF: the size of the picture, and what programs wrote about it.

Follows GIF 89a, sections 18 (logical screen descriptor) and 26 (application extension), and XMP part 3, 1.1.2: a packet
stands in an application extension as it is, and behind it a trailer that readers who do not know it take for blocks.
"""

from __future__ import annotations

import struct

from jutrek.formats import xmp
from jutrek.formats.draft import Draft
from jutrek.formats.reading import Stretch
from jutrek.formats.span import Span

SIGNATURES = (b"GIF87a", b"GIF89a")

_SCREEN = struct.Struct("<HHB")
_EXTENSION, _APPLICATION = b"\x21", b"\x21\xff\x0b"
_XMP, _TRAILER = b"XMP DataXMP", b"\x01\xff\xfe\xfd"
_MAX_XMP, _MOST_BLOCKS = 512 * 1024, 256


def read(span: Span, draft: Draft) -> None:
    """Read the screen descriptor, and the extensions before the first picture."""
    draft.width, draft.height, flags = span.unpack(_SCREEN, 6)
    draft.payload = [Stretch(0, span.size)]
    at = 13 + (3 << (flags & 7) + 1 if flags & 0x80 else 0)
    for _ in range(_MOST_BLOCKS):
        head = span.upto(at, 14)
        if head[:1] != _EXTENSION:
            return
        if head == _APPLICATION + _XMP:
            packet, trailer, _ = span.upto(at + 14, _MAX_XMP).partition(_TRAILER)
            if trailer:
                xmp.read(packet, draft)
            return
        at = _behind(span, at + 2)


def _behind(span: Span, at: int) -> int:
    """Where a chain of blocks ends; the file's end where it does not, or is endless."""
    for _ in range(_MOST_BLOCKS):
        size = span.upto(at, 1)
        if not size or not size[0]:
            return at + 1
        at += 1 + size[0]
    return span.size
