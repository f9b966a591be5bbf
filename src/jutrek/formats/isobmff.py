"""MP4, MOV and kin: boxes, the movie header, and what cameras write beside it.

Follows ISO/IEC 14496-12 (boxes 4.2, `mvhd` 8.2.2, `tkhd` 8.3.2, `hdlr` 8.4.3, `meta` 8.11.1) and the QuickTime File
Format Specification (user data, metadata key lists). Times count seconds from 1904-01-01, UTC by the specification.
"""

from __future__ import annotations

import re
import struct
from collections.abc import Iterator
from datetime import datetime

from jutrek.errors import BrokenFile
from jutrek.formats.reading import Draft, Kind
from jutrek.formats.span import Span
from jutrek.formats.stamps import parse, since

MAX_BOXES = 2000
MAX_TRACKS = 64
MAX_TEXT = 4096

_STARTS = frozenset({b"ftyp", b"moov", b"mdat", b"wide", b"free", b"skip", b"pnot", b"styp"})
_STILLS = {b"heic": "heic", b"heix": "heic", b"mif1": "heif", b"msf1": "heif", b"avif": "avif", b"crx ": "cr3"}
_SOUNDS = frozenset({b"M4A ", b"M4B "})
_FROM_1904, _FROM_1970 = datetime(1904, 1, 1), datetime(1970, 1, 1)
_YEARS_1904_TO_1970 = 2_082_844_800
_POSITION = re.compile(r"([+-]\d+(?:\.\d+)?)([+-]\d+(?:\.\d+)?)")
_U32, _U64 = struct.Struct(">I"), struct.Struct(">Q")
_USER_TEXTS = {b"\xa9mak": "make", b"\xa9mod": "model"}
_KEY_TEXTS = {"make": "make", "model": "model"}


def starts(head: bytes) -> bool:
    """Whether the first bytes of a file are a box that such files begin with."""
    return head[4:8] in _STARTS


def boxes(span: Span, offset: int = 0) -> Iterator[tuple[bytes, Span]]:
    """Boxes one after the other: type and payload. A size of 0 reaches to the end of the span.

    Raises:
        BrokenFile: at a box smaller than its own header or larger than what encloses it.
    """
    for _ in range(MAX_BOXES):
        if offset + 8 > span.size:
            return
        head = span.read(offset, 8)
        size, header = _U32.unpack(head[:4])[0], 8
        if size == 1:
            size, header = span.unpack(_U64, offset + 8)[0], 16
        elif size == 0:
            size = span.size - offset
        if size < header or size > span.size - offset:
            raise BrokenFile(span.start + offset, f"a box of {header} to {span.size - offset} bytes", str(size))
        yield head[4:8], span.part(offset + header, size - header)
        offset += size


def read(span: Span, draft: Draft) -> None:
    """Read the movie header and the metadata around it, wherever in the file they stand."""
    draft.kind, draft.format = Kind.CLIP, "mov"
    for name, body in boxes(span):
        if name == b"ftyp":
            _brand(body, draft)
        elif name == b"moov":
            _movie(body, draft)
            return
    if draft.kind is Kind.CLIP:
        draft.notes.append("The movie header is missing: the recording may not have been closed properly.")


def _brand(body: Span, draft: Draft) -> None:
    brand = body.read(0, 4)
    if brand in _STILLS:
        draft.kind, draft.format = Kind.STILL, _STILLS[brand]
    elif brand in _SOUNDS:
        draft.kind, draft.format = Kind.SOUND, "m4a"
    elif brand.startswith(b"3g"):
        draft.format = "3gp"
    elif brand != b"qt  ":
        draft.format = "mp4"


def _movie(body: Span, draft: Draft) -> None:
    tracks = 0
    for name, part in boxes(body):
        try:
            if name == b"mvhd":
                _movie_header(part, draft)
            elif name == b"trak" and tracks < MAX_TRACKS:
                tracks += 1
                _track(part, draft)
            elif name == b"udta":
                _user_data(part, draft)
            elif name == b"meta":
                _key_list(part, draft)
        except BrokenFile as damage:
            draft.notes.append(f"A part of the movie header is damaged. {damage}")


def _movie_header(part: Span, draft: Draft) -> None:
    version = part.read(0, 1)[0]
    form = struct.Struct(">4xQQIQ" if version == 1 else ">4xIIII")
    created, _, scale, length = part.unpack(form, 0)
    unknown = (1 << 64) - 1 if version == 1 else (1 << 32) - 1
    if scale and length != unknown:
        draft.duration = length / scale
    if not created:
        return
    from_1970 = created < _YEARS_1904_TO_1970
    stamp = since(_FROM_1970 if from_1970 else _FROM_1904, created)
    draft.claim("mp4:created", stamp, "the movie header", str(created))
    if from_1970:
        draft.notes.append("The movie header counts from 1970 instead of 1904.")


def _track(part: Span, draft: Draft) -> None:
    for name, body in boxes(part):
        if name == b"tkhd":
            at = 88 if body.read(0, 1)[0] == 1 else 76
            width, height = body.unpack(struct.Struct(">II"), at)
            if width and height:
                draft.width, draft.height = max(draft.width, width >> 16), max(draft.height, height >> 16)
            return


def _user_data(part: Span, draft: Draft) -> None:
    """QuickTime user data: international text is a 16-bit size and language before the text."""
    for name, body in boxes(part):
        if name[:1] != b"\xa9" or body.size < 4:
            continue
        size, _ = body.unpack(struct.Struct(">HH"), 0)
        text = body.read(4, min(size, body.size - 4, MAX_TEXT)).decode("utf-8", "replace").strip("\0 ")
        if name == b"\xa9day":
            draft.claim("qt:creationdate", parse(text), "the camera's date of recording", text)
        elif name == b"\xa9xyz":
            _place(text, draft)
        elif name in _USER_TEXTS:
            setattr(draft, _USER_TEXTS[name], text)


def _key_list(part: Span, draft: Draft) -> None:
    """QuickTime metadata with a key list (handler `mdta`): `keys` names what `ilst` holds, counted from 1."""
    start = 0 if part.size >= 8 and part.read(4, 4) == b"hdlr" else 4
    keys: list[str] = []
    for name, body in boxes(part, start):
        if name == b"keys":
            keys = [_text(key) for _, key in boxes(body, 8)]
        elif name == b"ilst":
            for index, item in boxes(body):
                number = _U32.unpack(index)[0]
                if 1 <= number <= len(keys):
                    _keyed(keys[number - 1].rpartition("quicktime.")[2].lower(), item, draft)


def _keyed(key: str, item: Span, draft: Draft) -> None:
    for name, body in boxes(item):
        if name != b"data" or body.size < 8:
            continue
        text = _text(body.part(8, body.size - 8))
        if key == "creationdate":
            draft.claim("qt:creationdate", parse(text), "the camera's date of recording", text)
        elif key == "location.iso6709":
            _place(text, draft)
        elif key in _KEY_TEXTS:
            setattr(draft, _KEY_TEXTS[key], text)


def _text(span: Span) -> str:
    return span.read(0, min(span.size, MAX_TEXT)).decode("utf-8", "replace").strip("\0 ")


def _place(text: str, draft: Draft) -> None:
    """ISO 6709 annex H: latitude and longitude in signed degrees."""
    found = _POSITION.match(text)
    if found and abs(lat := float(found[1])) <= 90 and abs(lon := float(found[2])) <= 180:
        draft.position = (lat, lon)
