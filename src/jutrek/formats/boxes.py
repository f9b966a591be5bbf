"""The box structure of ISO media files, shared by clips, sound and stills.

Follows ISO/IEC 14496-12 section 4.2 (boxes: 32-bit size and type, 64-bit sizes, size 0 to the end) and 4.2.2 (full
boxes: version and flags first).
"""

from __future__ import annotations

import struct
from collections.abc import Iterator

from jutrek.errors import BrokenFile
from jutrek.formats.span import Span

MAX_BOXES = 2000
MAX_TEXT = 4096

U16, U32, U64 = struct.Struct(">H"), struct.Struct(">I"), struct.Struct(">Q")
_HEAD = struct.Struct(">I4s")


def boxes(span: Span, offset: int = 0) -> Iterator[tuple[bytes, Span]]:
    """Boxes one after the other: type and payload. A size of 0 reaches to the end of the span.

    Raises:
        BrokenFile: at a box smaller than its own header or larger than what encloses it.
    """
    for _ in range(MAX_BOXES):
        if offset + 8 > span.size:
            return
        size, name = span.unpack(_HEAD, offset)
        header = 8
        if size == 1:
            size, header = span.unpack(U64, offset + 8)[0], 16
        elif size == 0:
            size = span.size - offset
        if size < header or size > span.size - offset:
            raise BrokenFile(span.where(offset), f"a box of {header} to {span.size - offset} bytes", str(size))
        yield name, span.part(offset + header, size - header)
        offset += size


def child(span: Span, *names: bytes, offset: int = 0) -> Span | None:
    """The first box of that type, or the box at the end of a path of types; None where there is none."""
    for name in names:
        found = next((body for kind, body in boxes(span, offset) if kind == name), None)
        if found is None:
            return None
        span, offset = found, 0
    return span


def text(span: Span) -> str:
    """A box's payload as text."""
    return span.upto(0, MAX_TEXT).decode("utf-8", "replace").strip("\0 ")
