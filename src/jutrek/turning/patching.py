"""Where a file says which way is up, and which bytes say another way: as many as before, in the same places.

Exif in JPEG, TIFF and raws of that layout, CR3 and WebP, in PNG with its checksum (PNG third edition 5.5), each copy of
the tag; `irot` of HEIC and AVIF (ISO/IEC 23008-12 6.5.10); the matrix of a clip's pictures (ISO/IEC 14496-12 8.3.2).
"""

from __future__ import annotations

import os
import re
import struct
import zlib
from collections.abc import Iterator

from jutrek.errors import BrokenFile
from jutrek.formats import Reading, open_read_only
from jutrek.formats.boxes import U16, U32, boxes, child
from jutrek.formats.png import SIGNATURE
from jutrek.formats.reading import Kind
from jutrek.formats.span import FileBytes, Span
from jutrek.formats.splices import Splice, trouble_with
from jutrek.turning.ways import OF_WAY, SAME, Matrix, Way, turned

_IN_BOXES = frozenset({"heic", "heif", "avif"})
_XMP_WITHIN = 1024 * 1024
_XMP = re.compile(rb"tiff:Orientation(?:=[\"']|>)([1-8])[\"'<]")
_CHUNK = struct.Struct(">I4s")
_MATRIX = struct.Struct(">9i")
_ONE, _ONE_OF_W = 1 << 16, 1 << 30


class CannotTurn(ValueError):
    """A file does not hold which way is up in a way that could be changed in place; the text says why."""


def splices_of(path: str, reading: Reading, way: Way) -> list[Splice]:
    """What is to be changed in a file so that it is shown turned; nothing where it is shown so already.

    Args:
        path: of the file.
        reading: of it.
        way: which way it is turned.

    Raises:
        CannotTurn: when it can't be, with a sentence.
        SourceUnreadable: when it can't be read.
        OSError: likewise.
    """
    fd = open_read_only(path)
    try:
        span = Span(FileBytes(fd, os.fstat(fd).st_size))
        try:
            found = list(_found(span, reading, way))
        except BrokenFile as damage:
            raise CannotTurn(f"What it says of which way is up is damaged. {damage}") from damage
    finally:
        os.close(fd)
    found = sorted({one for one in found if one.old != one.new})
    if why := trouble_with(found, reading.payload):
        raise CannotTurn(why)
    return found


def _found(span: Span, reading: Reading, way: Way) -> Iterator[Splice]:
    if reading.format in _IN_BOXES:
        yield from _of_picture_boxes(span, reading, way)
    elif reading.kind is Kind.CLIP and (movie := child(span, b"moov")) is not None:
        yield from _of_movie(movie, way)
    elif reading.orientation_at:
        yield from _of_exif(span, reading, way)
    else:
        raise CannotTurn("It does not say which way is up, and has no room for it.")


# ---- Exif


def _of_exif(span: Span, reading: Reading, way: Way) -> Iterator[Splice]:
    found = [_orientation(at, span.read(at, 2), way) for at in reading.orientation_at]
    splices = [one for one in found if one is not None]
    if not splices:
        raise CannotTurn("What it says of which way is up is damaged.")
    for splice in splices:
        yield splice
        if reading.format == "png":
            yield _checksum(span, splice)
    if reading.format != "png":
        yield from _of_packet(span, reading, way)


def _orientation(at: int, old: bytes, way: Way) -> Splice | None:
    """The splice of a value of two bytes; None where it is no orientation."""
    value = old[0] or old[1]
    if 0 not in old or not 1 <= value <= 8:
        return None
    new = turned(value, way)
    return Splice(at, old, bytes((new, 0)) if old[0] else bytes((0, new)))


def _checksum(span: Span, splice: Splice) -> Splice:
    """The checksum of the chunk that a splice stands in."""
    offset = len(SIGNATURE)
    while offset + 12 <= span.size:
        size, _ = span.unpack(_CHUNK, offset)
        if offset + 8 <= splice.offset < offset + 8 + size:
            whole, at = bytearray(span.read(offset + 4, size + 4)), splice.offset - offset - 4
            whole[at : at + len(splice.new)] = splice.new
            end = offset + 8 + size
            return Splice(end, span.read(end, 4), zlib.crc32(whole).to_bytes(4))
        offset += 12 + size
    raise CannotTurn("What it says of which way is up is damaged.")


def _of_packet(span: Span, reading: Reading, way: Way) -> Iterator[Splice]:
    """The same in an XMP packet before the picture: who reads that first is told the same."""
    end = min(_XMP_WITHIN, span.size, *(part.offset for part in reading.payload))
    for found in _XMP.finditer(span.read(0, end)):
        value = int(found[1])
        yield Splice(found.start(1), found[1], str(turned(value, way)).encode())


# ---- HEIC and AVIF


def _of_picture_boxes(span: Span, reading: Reading, way: Way) -> Iterator[Splice]:
    """`irot` of the primary picture; where mirroring (`imir`) follows it, it turns the other way round."""
    meta = child(span, b"meta")
    properties = child(meta, b"iprp", offset=4) if meta is not None else None
    primary = child(meta, b"pitm", offset=4) if meta is not None else None
    container = child(properties, b"ipco") if properties is not None else None
    uses = child(properties, b"ipma") if properties is not None else None
    if meta is None or primary is None or container is None or uses is None:
        raise CannotTurn("It does not say which way is up, and has no room for it.")
    number = primary.unpack(U32 if primary.read(0, 1)[0] else U16, 4)[0]
    parts = list(boxes(container))
    own = [parts[index - 1] for index in _uses(uses, number) if 1 <= index <= len(parts)]
    turns = [body for name, body in own if name == b"irot"]
    if len(turns) != 1:
        raise CannotTurn("It does not say which way is up, and has no room for it.")
    names = [name for name, _ in own if name in (b"irot", b"imir")]
    if names[0] == b"imir":
        # Against the order that ISO/IEC 23000-22 7.3.6.7 asks for; some programs mirror last all the same.
        raise CannotTurn("It is mirrored before it is turned, which programs show one way or the other.")
    steps = {Way.LEFT: 1, Way.HALF: 2, Way.RIGHT: 3}.get(way, 0)
    before = turns[0].read(0, 1)
    angle = before[0] & 3
    after = 0 if way is Way.UPRIGHT else (angle + (-steps if b"imir" in names else steps)) % 4
    yield Splice(turns[0].where(0), before, bytes((before[0] & 0xFC | after,)))
    for at in reading.orientation_at:
        # Who reads only Exif is told the same, if it was the same.
        old = span.read(at, 2)
        if max(old) == _AS_EXIF[angle] and b"imir" not in names:
            new = _AS_EXIF[after]
            yield Splice(at, old, bytes((new, 0)) if old[0] else bytes((0, new)))


_AS_EXIF = (1, 8, 3, 6)
"""Turns to the left by quarters as Exif counts."""


def _uses(body: Span, wanted: int) -> list[int]:
    """`ipma`: the numbers of the properties of an item, in the order in which they are applied."""
    version, flags = body.read(0, 1)[0], body.read(3, 1)[0]
    count, at = body.unpack(U32, 4)[0], 8
    for _ in range(min(count, 10_000)):
        item = body.unpack(U32 if version else U16, at)[0]
        at += 4 if version else 2
        many = body.read(at, 1)[0]
        at += 1
        width = 2 if flags & 1 else 1
        if item == wanted:
            values = [int.from_bytes(body.read(at + one * width, width)) for one in range(many)]
            return [value & (0x7FFF if width == 2 else 0x7F) for value in values]
        at += many * width
    return []


# ---- clips


def _of_movie(movie: Span, way: Way) -> Iterator[Splice]:
    found = False
    for name, track in boxes(movie):
        if name != b"trak":
            continue
        handler, header = child(track, b"mdia", b"hdlr"), child(track, b"tkhd")
        if handler is None or header is None or handler.upto(8, 4) != b"vide":
            continue
        found = True
        yield _matrix(header, way)
    if not found:
        raise CannotTurn("It does not say which way is up, and has no room for it.")


def _matrix(header: Span, way: Way) -> Splice:
    at = 52 if header.read(0, 1)[0] == 1 else 40
    old = header.read(at, _MATRIX.size)
    a, b, _, c, d, *_ = (value // _ONE if value % _ONE == 0 else 2 for value in _MATRIX.unpack(old))
    before = SAME if not any(old) else Matrix(a, b, c, d)
    if before not in {SAME, *OF_WAY.values()}:
        raise CannotTurn("It is turned askew or mirrored, and that can't be changed here.")
    after = SAME if way is Way.UPRIGHT else OF_WAY[way].after(before)
    width, height = header.unpack(struct.Struct(">II"), at + 36)
    # What is turned is moved back to where nothing lies left of or above the corner.
    left = max(0, -after.a) * width + max(0, -after.c) * height
    top = max(0, -after.b) * width + max(0, -after.d) * height
    new = _MATRIX.pack(
        after.a * _ONE, after.b * _ONE, 0, after.c * _ONE, after.d * _ONE, 0, min(left, 2**31 - 1),
        min(top, 2**31 - 1), _ONE_OF_W,
    )  # fmt: skip
    return Splice(header.where(at), old, old if before == after else new)
