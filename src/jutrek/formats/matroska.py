"""Matroska and WebM: the segment's date, tags, and stream facts.

Follows RFC 8794 (EBML: element numbers and sizes of variable length, unknown sizes) and RFC 9559 (Matroska: `Info`,
`DateUTC` in nanoseconds since 2001-01-01 UTC, `Tracks`, `Tags`, `SeekHead`). Tags often stand behind the clusters, so
the seek head is followed to them. `DateUTC` is often the time of packing; a `DATE_RECORDED` tag beats it.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from datetime import datetime, timedelta

from jutrek.errors import BrokenFile
from jutrek.formats.draft import Draft
from jutrek.formats.reading import UTC_BY_DEFINITION, Kind, Stretch, Timestamp
from jutrek.formats.span import Span
from jutrek.formats.timestamps import parse

SIGNATURE = b"\x1aE\xdf\xa3"
MAX_ELEMENTS = 4000
MAX_TEXT = 512

_HEADER, _DOCUMENT_TYPE, _SEGMENT = 0x1A45DFA3, 0x4282, 0x18538067
_SEEK_HEAD, _SEEK, _SEEK_ID, _SEEK_AT = 0x114D9B74, 0x4DBB, 0x53AB, 0x53AC
_INFO, _TRACKS, _TAGS, _CLUSTER = 0x1549A966, 0x1654AE6B, 0x1254C367, 0x1F43B675
_DATE, _DURATION, _SCALE, _SEGMENT_UID = 0x4461, 0x4489, 0x2AD7B1, 0x73A4
_TRACK, _FRAME_NS, _VIDEO, _AUDIO = 0xAE, 0x23E383, 0xE0, 0xE1
_PIXEL_WIDTH, _PIXEL_HEIGHT, _RATE, _CHANNELS = 0xB0, 0xBA, 0xB5, 0x9F
_TAG, _SIMPLE, _TAG_NAME, _TAG_TEXT = 0x7373, 0x67C8, 0x45A3, 0x4487
_ZERO = datetime(2001, 1, 1)
_TAG_DATES = {
    "DATE_RECORDED": ("mkv:recorded", "the clip's date of recording"),
    "DATE_DIGITIZED": ("mkv:digitized", "the clip's second date"),
    "CREATION_TIME": ("mkv:recorded", "the clip's date of recording"),
}
_TAG_DEVICES = {"MAKE": "make", "MODEL": "model"}


def read(span: Span, draft: Draft) -> None:
    """Read the segment's description, and the tags behind its clusters."""
    for number, body in _elements(span):
        if number == _HEADER:
            kind = next((_text(part) for inner, part in _elements(body) if inner == _DOCUMENT_TYPE), "")
            draft.format = "webm" if kind == "webm" else "matroska"
        elif number == _SEGMENT:
            _segment(body, draft)
            break
    if draft.channels and not draft.width:
        draft.kind = Kind.SOUND


def _segment(body: Span, draft: Draft) -> None:
    seen: set[int] = set()
    places: dict[int, int] = {}
    at = body.origin
    for number, part in _elements(body):
        if number == _CLUSTER:
            draft.payload = [Stretch(at, body.where(body.size) - at)]
            break
        seen.add(number)
        _top(number, part, draft, places)
        at = part.origin + part.size
    for number, offset in places.items():
        if number in (_INFO, _TRACKS, _TAGS) and number not in seen:
            with draft.sparing("What the seek head points to is"):
                for found, part in _elements(body.rest(offset)):
                    if found == number:
                        _top(found, part, draft, {})
                    break


def clusters(span: Span, start: int) -> Iterator[Stretch]:
    """Where clusters stand, from the first one on; indexes and tags between and behind them are left out.

    Raises:
        BrokenFile: where no element stands that should.
    """
    number, body = _variable(span, start, keep_mark=True)
    for _ in range(span.size):
        size, body = _variable(span, body, keep_mark=False)
        rest = span.size - body
        size = rest if size < 0 else min(size, rest)
        if number == _CLUSTER:
            yield Stretch(span.where(body), size)
        if body + size >= span.size:
            return
        number, body = _variable(span, body + size, keep_mark=True)


def _top(number: int, part: Span, draft: Draft, places: dict[int, int]) -> None:
    with draft.sparing("A part of the header is"):
        if number == _SEEK_HEAD:
            places.update(_places(part))
        elif number == _INFO:
            _info(part, draft)
        elif number == _TRACKS:
            for inner, track in _elements(part):
                if inner == _TRACK:
                    _track(track, draft)
        elif number == _TAGS:
            for inner, tag in _elements(part):
                if inner == _TAG:
                    _tag(tag, draft)


def _elements(span: Span) -> Iterator[tuple[int, Span]]:
    """Elements one after the other. An unknown size reaches to the end of what encloses it."""
    offset = 0
    for _ in range(MAX_ELEMENTS):
        if offset >= span.size:
            return
        number, offset = _variable(span, offset, keep_mark=True)
        size, offset = _variable(span, offset, keep_mark=False)
        rest = span.size - offset
        body = span.part(offset, rest if size < 0 else min(size, rest))
        yield number, body
        offset += body.size


def _variable(span: Span, offset: int, *, keep_mark: bool) -> tuple[int, int]:
    """A number of variable length and the offset behind it. All ones as a size mean unknown: -1."""
    first = span.read(offset, 1)[0]
    length = 9 - first.bit_length()
    if length > 8 or (keep_mark and length > 4):
        raise BrokenFile(span.where(offset), "an element", hex(first))
    value = int.from_bytes(span.read(offset, length))
    if not keep_mark:
        mark = 1 << 7 * length
        value = -1 if value == 2 * mark - 1 else value - mark
    return value, offset + length


def _places(part: Span) -> dict[int, int]:
    found: dict[int, int] = {}
    for number, seek in _elements(part):
        if number == _SEEK:
            parts = dict(_elements(seek))
            if _SEEK_ID in parts and _SEEK_AT in parts:
                found[_unsigned(parts[_SEEK_ID])] = _unsigned(parts[_SEEK_AT])
    return found


def _info(part: Span, draft: Draft) -> None:
    found = dict(_elements(part))
    scale = _unsigned(found[_SCALE]) if _SCALE in found else 1_000_000
    if _DURATION in found:
        draft.duration = _float(found[_DURATION]) * scale / 1e9
    if _SEGMENT_UID in found:
        draft.tie("segment", found[_SEGMENT_UID].upto(0, 16).hex())
    if _DATE in found and found[_DATE].size == 8:
        nanoseconds = int.from_bytes(found[_DATE].read(0, 8), signed=True)
        wall = _ZERO + timedelta(seconds=nanoseconds // 1_000_000_000)
        draft.claim("mkv:created", Timestamp(wall, offset=UTC_BY_DEFINITION), "the clip's container", str(nanoseconds))


def _track(part: Span, draft: Draft) -> None:
    for number, body in _elements(part):
        if number == _FRAME_NS and not draft.frame_rate and (nanoseconds := _unsigned(body)):
            draft.frame_rate = round(1e9 / nanoseconds, 3)
        elif number == _VIDEO:
            found = dict(_elements(body))
            if _PIXEL_WIDTH in found and _PIXEL_HEIGHT in found:
                draft.width, draft.height = _unsigned(found[_PIXEL_WIDTH]), _unsigned(found[_PIXEL_HEIGHT])
        elif number == _AUDIO:
            found = dict(_elements(body))
            draft.channels = _unsigned(found[_CHANNELS]) if _CHANNELS in found else 1
            draft.sample_rate = int(_float(found[_RATE])) if _RATE in found else 8000


def _tag(part: Span, draft: Draft) -> None:
    for number, simple in _elements(part):
        if number != _SIMPLE:
            continue
        found = dict(_elements(simple))
        if _TAG_NAME not in found or _TAG_TEXT not in found:
            continue
        name, words = _text(found[_TAG_NAME]).upper(), _text(found[_TAG_TEXT])
        if name in _TAG_DATES:
            at, where = _TAG_DATES[name]
            draft.claim(at, parse(words), where, words)
        elif name in _TAG_DEVICES:
            draft.made_by(**{_TAG_DEVICES[name]: words})


def _unsigned(body: Span) -> int:
    return int.from_bytes(body.upto(0, 8))


def _float(body: Span) -> float:
    if body.size not in (4, 8):
        return 0.0
    value = float(struct.unpack(">f" if body.size == 4 else ">d", body.read(0, body.size))[0])
    return value if 0 <= value < 1e15 else 0.0


def _text(body: Span) -> str:
    return body.upto(0, MAX_TEXT).decode("utf-8", "replace").strip("\0 ")
