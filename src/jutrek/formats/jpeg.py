"""JPEG: Exif and XMP from the segments before the picture, and its size.

Follows ITU-T T.81 annex B (markers and segments), Exif 2.32 section 4.5.4 (APP1) and XMP part 3 section 1.1.3.
"""

from __future__ import annotations

import struct

from jutrek.errors import BrokenFile
from jutrek.formats import tiff, xmp
from jutrek.formats.reading import Draft, Kind, Stretch
from jutrek.formats.span import Span

MAX_SEGMENTS = 500
TAIL = 4096

_SEGMENT = struct.Struct(">BBH")
_FRAME = struct.Struct(">BHH")
_EXIF = b"Exif\0\0"
_XMP = b"http://ns.adobe.com/xap/1.0/\0"
_FRAMES = frozenset(range(0xC0, 0xD0)) - {0xC4, 0xC8, 0xCC}
_APP1, _END = 0xE1, b"\xff\xd9"


def read(span: Span, draft: Draft) -> None:
    """Read a JPEG's segments up to the frame header, and look whether the picture has an end."""
    draft.kind, draft.format = Kind.STILL, "jpeg"
    offset = 2
    for _ in range(MAX_SEGMENTS):
        mark, marker, size = span.unpack(_SEGMENT, offset)
        if mark != 0xFF:
            raise BrokenFile(span.start + offset, "a segment marker", f"0x{mark:02X}")
        if marker == 0xFF:
            offset += 1
            continue
        if marker == _APP1:
            _metadata(span.part(offset + 4, max(size - 2, 0)), draft)
        elif marker in _FRAMES:
            _, draft.height, draft.width = span.unpack(_FRAME, offset + 4)
            break
        offset += 2 + max(size, 2)
    tail = span.read(max(0, span.size - TAIL), min(TAIL, span.size))
    if tail.rfind(_END) < 0:
        draft.notes.append("The picture's end mark is missing: the file may have been cut off.")


def _metadata(body: Span, draft: Draft) -> None:
    """One APP1 segment; damage inside it does not hide the segments behind it."""
    head = body.read(0, min(len(_XMP), body.size))
    try:
        if head.startswith(_EXIF):
            block = body.loaded(len(_EXIF), body.size - len(_EXIF))
            before = draft.preview
            tiff.read_exif(block, draft)
            if draft.preview is not None and draft.preview is not before:
                at = body.start + len(_EXIF) + draft.preview.offset
                draft.preview = Stretch(at, draft.preview.size)
        elif head == _XMP:
            xmp.read(body.read(len(_XMP), body.size - len(_XMP)), draft)
    except BrokenFile as damage:
        draft.notes.append(f"The camera's data are damaged. {damage}")
