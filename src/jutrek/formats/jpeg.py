"""JPEG: Exif, XMP and press data from the segments before the picture, its size, and what stands behind it.

Follows ITU-T T.81 annex B (markers and segments), Exif 2.32 section 4.5.4 (APP1), XMP part 3 section 1.1.3 and
CIPA DC-007 (multi-picture format: APP2, offsets counted from behind its `MPF\\0`). Phones put a clip behind the
picture and say its length in the XMP data.
"""

from __future__ import annotations

import re
import struct
from typing import NamedTuple

from jutrek.errors import BrokenFile
from jutrek.formats import exif, iptc, xmp
from jutrek.formats.directories import Tiff
from jutrek.formats.draft import Draft
from jutrek.formats.reading import Stretch
from jutrek.formats.span import HEAD, Span

MAX_SEGMENTS = 500
TAIL = 4096

_SEGMENT = struct.Struct(">BBH")
_FRAME = struct.Struct(">BHH")
_PICTURE = struct.Struct("IIIHH")
_EXIF, _XMP = b"Exif\0\0", b"http://ns.adobe.com/xap/1.0/\0"
_MULTI, _RESOURCES = b"MPF\0", b"Photoshop 3.0\0"
_FRAMES = frozenset(range(0xC0, 0xD0)) - {0xC4, 0xC8, 0xCC}
_APP1, _APP2, _APP13, _COMMENT = 0xE1, 0xE2, 0xED, 0xFE
_DESCRIBING = frozenset({_APP1, _APP2, _APP13})
_END = b"\xff\xd9"
_OTHER_END = b"SEFT"
_MULTI_ENTRIES = 0xB002
_LARGE_THUMBNAILS = frozenset({0x010001, 0x010002})
"""Types of further pictures that show the same as the first; others are gain maps, depths, the other eye's view."""


_MARKS = re.compile(rb"\xff[\xc0-\xc4\xdb\xdd\xe0-\xef]")
_NEAR = 128 * 1024
"""Bytes behind a segment with a wrong length in which the next one is looked for."""


class Around(NamedTuple):
    """What descriptive segments say of what follows the picture: a clip's length, where the next picture stands."""

    motion: int = 0
    behind: int = 0


def read(span: Span, draft: Draft) -> None:
    """Read a JPEG: its segments, whether the picture has an end, and what follows it."""
    picture_at, (motion, behind) = read_metadata(span, draft)
    end = span.size
    if 0 < motion < span.size and span.upto(span.size - motion + 4, 4) == b"ftyp":
        end = span.size - motion
        draft.motion = Stretch(end, motion)
    picture_end = behind if picture_at < behind < end else end
    draft.payload = [Stretch(picture_at, picture_end - picture_at)]
    if span.read(end - 2, 2) != _END and not _has_end(span, end):
        draft.note("The picture's end mark is missing: the file may have been cut off.")


def _has_end(span: Span, end: int) -> bool:
    """Whether an end mark stands somewhere in the last bytes, or another known end: makers put data behind it."""
    start = max(end - TAIL, 0)
    tail = span.read(start, end - start)
    return _END in tail or tail.endswith(_OTHER_END)


def read_metadata(span: Span, draft: Draft) -> tuple[int, Around]:
    """Read the segments up to the frame header.

    Returns:
        Where the picture itself begins, behind the segments that describe it; and what follows it.

    Raises:
        BrokenFile: when the segments do not follow one another up to a frame header.
    """
    offset, picture_at, around = 2, 0, Around()
    before, lost = 2, False
    head = span.upto(0, HEAD)
    last = len(head) - _SEGMENT.size
    for _ in range(MAX_SEGMENTS):
        whole = head if offset <= last else span.upto(min(offset, span.size), _SEGMENT.size)
        mark, marker, size = _SEGMENT.unpack_from(whole.ljust(_SEGMENT.size, b"\0"), offset if whole is head else 0)
        if mark != 0xFF:
            found = _next_segment(span, before) if not lost else 0
            if not found:
                raise BrokenFile(span.where(offset), "a segment marker", f"0x{mark:02X}")
            draft.note("A segment tells a wrong length; those behind it were found by their marks.")
            offset, lost = found, True
            continue
        before = offset
        if marker == 0xFF:
            offset += 1
            continue
        if 0xE0 <= marker <= 0xEF or marker == _COMMENT:
            if marker in _DESCRIBING:
                end = offset + 2 + size
                if end <= len(head) and head.startswith(_EXIF, offset + 4):
                    _exif(Span(head[offset + 10 : end], origin=span.where(offset + 10)), draft)
                else:
                    body = max(min(size - 2, span.size - offset - 4), 0)
                    told = _described(span.part(offset + 4, body), marker, draft)
                    around = Around(told.motion or around.motion, told.behind or around.behind)
        elif not picture_at:
            picture_at = offset
        if marker in _FRAMES:
            _, draft.height, draft.width = (
                _FRAME.unpack_from(head, offset + 4) if offset + 9 <= len(head) else span.unpack(_FRAME, offset + 4)
            )
            return picture_at, around
        offset += 2 + max(size, 2)
    raise BrokenFile(span.where(offset), f"a picture within {MAX_SEGMENTS} segments", "more segments")


def _next_segment(span: Span, before: int) -> int:
    """Where the next segment stands behind one that tells a wrong length; 0 where none is found.

    It bears a mark that describes or begins a picture, and another mark follows where it ends.
    """
    near = span.upto(before + 4, _NEAR)
    for match in _MARKS.finditer(near):
        at = match.start()
        end = at + 2 + int.from_bytes(near[at + 2 : at + 4])
        if at + 4 <= end < len(near) - 1 and near[end] == 0xFF and near[end + 1] >= 0xC0:
            return before + 4 + at
    return 0


def _exif(block: Span, draft: Draft) -> None:
    try:
        exif.read_block(block, draft)
    except BrokenFile as damage:
        draft.note(f"The camera's data are damaged. {damage}")


def _described(body: Span, marker: int, draft: Draft) -> Around:
    """One descriptive segment; damage inside it does not hide the segments behind it."""
    head = body.upto(0, len(_XMP))
    try:
        if head.startswith(_EXIF):
            _exif(body.loaded(len(_EXIF), body.size - len(_EXIF)), draft)
        elif head == _XMP:
            packet = body.rest(len(_XMP))
            draft.packed(packet.origin, packet.size)
            return Around(motion=xmp.read(packet.read(0, packet.size), draft))
        elif marker == _APP2 and head.startswith(_MULTI):
            return Around(behind=_pictures_behind(body.rest(len(_MULTI)), draft))
        elif marker == _APP13 and head.startswith(_RESOURCES):
            iptc.read_resources(body.read(len(_RESOURCES), body.size - len(_RESOURCES)), draft)
    except BrokenFile as damage:
        draft.note(f"The camera's data are damaged. {damage}")
    return Around()


def _pictures_behind(block: Span, draft: Draft) -> int:
    """The pictures of a multi-picture file but the first. Large thumbnails are previews.

    Returns:
        Where the nearest of them stands; 0 where there is none.
    """
    tiff = Tiff.opened(block)
    pictures = tiff.raw(tiff.one(tiff.first), _MULTI_ENTRIES, 64 * 16)
    form = struct.Struct(tiff.order + _PICTURE.format)
    nearest = 0
    for kind, size, offset, _, _ in form.iter_unpack(pictures[: len(pictures) // 16 * 16]):
        if offset and size:
            at = block.origin + offset
            nearest = min(nearest or at, at)
            if kind & 0xFFFFFF in _LARGE_THUMBNAILS:
                draft.preview(Stretch(at, size))
    return nearest
