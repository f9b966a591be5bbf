"""MP4, MOV and kin: which of them a file is, and the movie header, wherever in the file it stands.

Follows ISO/IEC 14496-12 (`ftyp` 4.3, `moov` 8.2.1, `mvhd` 8.2.2, `mvex` and `mehd` 8.8.1 and 8.8.2, `prft` 8.16.5)
and the QuickTime File Format Specification (files without `ftyp`, compressed movie headers). Times count seconds from
1904-01-01, UTC by the specification.
"""

from __future__ import annotations

import struct
import zlib
from datetime import datetime, timedelta

from jutrek.errors import BrokenFile
from jutrek.formats import clipdata, cr3, heif, movie, xmp
from jutrek.formats.boxes import U32, U64, boxes, child
from jutrek.formats.draft import Draft
from jutrek.formats.reading import UTC_BY_DEFINITION, Kind, Stretch, Timestamp
from jutrek.formats.span import Span
from jutrek.formats.tracks import movie_time, read_track

MAX_TRACKS = 64
MAX_HEADER = 1024 * 1024
"""Bytes that a compressed movie header may unpack to."""

_STARTS = frozenset({b"ftyp", b"moov", b"mdat", b"wide", b"free", b"skip", b"pnot", b"styp", b"uuid"})
_SOUNDS = frozenset({b"M4A ", b"M4B ", b"M4P "})
_FROM_1900, _FROM_1970 = datetime(1900, 1, 1), datetime(1970, 1, 1)
_XMP_UUID = bytes.fromhex("be7acfcb97a942e89c71999491e3afac")
_PRODUCED = struct.Struct(">IQ")


def starts(head: bytes, _: int) -> bool:
    """Whether the first bytes of a file are a box that such files begin with."""
    return head[4:8] in _STARTS


def read(span: Span, draft: Draft) -> None:
    """Read the movie header, or a still's metadata, and what stands around them."""
    described = False
    for name, body in boxes(span):
        if name == b"ftyp":
            _brand(body, draft)
        elif name == b"mdat" and (draft.kind is not Kind.STILL or draft.format == "cr3"):
            draft.payload.append(Stretch(body.origin, body.size))
        elif name in (b"moov", b"meta", b"uuid", b"prft"):
            try:
                described = _part(name, body, draft) or described
            except BrokenFile as damage:
                draft.note(f"A part of the movie header is damaged. {damage}")
                described = True
        if name == b"moof":
            break
    if not described:
        if draft.kind is Kind.STILL:
            draft.note("The picture's metadata are missing: the file may have been cut off.")
        else:
            draft.note("The movie header is missing: the recording may not have been closed properly.")


def _part(name: bytes, body: Span, draft: Draft) -> bool:
    """Read one top-level box. True when it is the one that describes the file."""
    if name == b"moov":
        _movie(body, draft)
        return True
    if name == b"meta" and draft.kind is Kind.STILL:
        heif.read_meta(body, draft)
        return True
    if name == b"meta":
        movie.read_meta(body, draft)
    elif name == b"prft":
        _produced(body, draft)
    elif body.upto(0, 16) == _XMP_UUID:
        xmp.read_part(body.rest(16), draft)
    elif draft.format == "cr3":
        cr3.read_preview(body, draft)
    else:
        clipdata.find(body, draft)
    return False


def _brand(body: Span, draft: Draft) -> None:
    brand = body.read(0, 4)
    brands = {brand, *(body.upto(8, 64)[at : at + 4] for at in range(0, 64, 4))}
    if still := heif.format_of(brand, brands):
        draft.kind, draft.format = Kind.STILL, still
    elif brand == b"crx ":
        draft.kind, draft.format = Kind.STILL, "cr3"
    elif brand in _SOUNDS:
        draft.kind, draft.format = Kind.SOUND, "m4a"
    elif brand.startswith(b"3g"):
        draft.format = "3gp"
    elif brand == b"M4V ":
        draft.format = "m4v"
    elif brand != b"qt  ":
        draft.format = "mp4"


def _movie(body: Span, draft: Draft, *, unpacked: bool = False) -> None:
    """Read a movie header; one that came out of a compressed header holds no other."""
    tracks = scale = 0
    for name, part in boxes(body):
        with draft.sparing("A part of the movie header is"):
            if name == b"mvhd":
                scale = _movie_header(part, draft)
            elif name == b"trak" and tracks < MAX_TRACKS and draft.format != "cr3":
                tracks += 1
                read_track(part, body, draft)
            elif name == b"udta":
                movie.read_user_data(part, draft)
            elif name == b"meta":
                movie.read_meta(part, draft)
            elif name == b"mvex":
                _extends(part, scale, draft)
            elif name == b"cmov" and not unpacked:
                _movie(_unpacked(part), draft, unpacked=True)
            elif name == b"uuid":
                _maker(part, draft)
    if draft.kind is Kind.CLIP and draft.channels and not draft.width and not draft.frame_rate:
        draft.kind = Kind.SOUND


def _maker(part: Span, draft: Draft) -> None:
    if draft.format == "cr3":
        cr3.read_metadata(part, draft)
    elif part.upto(0, 16) == _XMP_UUID:
        xmp.read_part(part.rest(16), draft)
    else:
        movie.read_maker_box(part.rest(min(16, part.size)), draft)


def _movie_header(part: Span, draft: Draft) -> int:
    """`mvhd`: creation time, change time, scale and duration; 64-bit times and durations in version 1.

    Returns:
        The scale: ticks a second.
    """
    wide = part.read(0, 1)[0] == 1
    created = part.unpack(U64 if wide else U32, 4)[0]
    (scale,) = part.unpack(U32, 20 if wide else 12)
    length = part.unpack(U64 if wide else U32, 24 if wide else 16)[0]
    if scale and 0 < length < (2**64 - 1 if wide else 2**32 - 1):
        draft.duration = length / scale
    movie_time(created, draft, "mp4:created", "the clip's container")
    return int(scale)


def _extends(part: Span, scale: int, draft: Draft) -> None:
    """A movie in fragments: its whole length stands in `mehd`, in the scale of the movie header."""
    header = child(part, b"mehd")
    if header is not None and scale and not draft.duration:
        wide = header.read(0, 1)[0] == 1
        draft.duration = header.unpack(U64 if wide else U32, 4)[0] / scale


def _produced(body: Span, draft: Draft) -> None:
    """Producer reference time: when a fragment was encoded, as NTP time (seconds since 1900 and their fraction)."""
    _, ticks = body.unpack(_PRODUCED, 4)
    wall = _FROM_1900 + timedelta(seconds=ticks >> 32)
    if wall > _FROM_1970:
        draft.claim("mp4:produced", Timestamp(wall, offset=UTC_BY_DEFINITION), "the time of encoding", str(ticks))


def _unpacked(part: Span) -> Span:
    """The movie header within a compressed one: `dcom` names the method, `cmvd` holds its size and bytes."""
    method, packed = child(part, b"dcom"), child(part, b"cmvd")
    if method is None or packed is None or method.upto(0, 4) != b"zlib":
        raise BrokenFile(part.origin, "a compressed movie header of a known method", "another")
    try:
        data = zlib.decompressobj().decompress(packed.upto(4, MAX_HEADER), MAX_HEADER)
    except zlib.error as error:
        raise BrokenFile(packed.origin, "a compressed movie header", str(error)) from error
    header = child(Span(data), b"moov")
    if header is None:
        raise BrokenFile(packed.origin, "a movie header within", "none")
    return header
