"""What cameras write beside the movie header: user data, key lists, makers' boxes and clip data.

Follows the QuickTime File Format Specification (user data with international text; metadata with a key list, handler
`mdta`), 3GPP TS 26.244 section 8 (`loci`, `yrrc`), ISO 6709 annex H (positions as text) and ISO/IEC 14496-12 8.11
(`meta`, `xml `). Makers' boxes may hold Exif, a JPEG with Exif, or a list of tags of their own.
"""

from __future__ import annotations

import re
import struct

from jutrek.formats import clipdata, exif, jpeg, telemetry, xmp
from jutrek.formats.boxes import U32, boxes, child, text
from jutrek.formats.draft import Draft
from jutrek.formats.markup import MAX_MARKUP
from jutrek.formats.reading import Precision, Stretch
from jutrek.formats.span import Span
from jutrek.formats.timestamps import parse

MAX_MAKER_DEPTH = 3
MAX_TAGS = 200

_POSITION = re.compile(r"([+-]\d+(?:\.\d+)?)([+-]\d+(?:\.\d+)?)")
_USER_TEXTS = {b"\xa9mak": "make", b"\xa9mod": "model"}
_KEY_TEXTS = {"make": "make", "model": "model", "camera.lens_model": "lens"}
_RECORDED = "the camera's date of recording"
_TEXT_HEAD = struct.Struct(">HH")
_PLACE = struct.Struct(">ii")
_TAG = struct.Struct(">IHH")
_TAG_SIZES = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 7: 1, 8: 2, 9: 4, 10: 8}
_TAGS = {0x0001: "make", 0x0002: "model", 0x0011: "qt:creationdate", 0x0012: "qt:creationdate"}


def read_user_data(part: Span, draft: Draft) -> None:
    """Read `udta`: international texts, an action camera's header, makers' boxes."""
    for name, body in boxes(part):
        with draft.sparing("The camera's own data are"):
            if name[:1] == b"\xa9":
                _international(name, body, draft)
            elif name == b"meta":
                read_meta(body, draft)
            elif name == b"loci":
                _place_3gp(body, draft)
            elif name == b"GPMF":
                telemetry.read(body.part(0, min(body.size, telemetry.MAX_HEADER)), draft)
            elif name == b"XMP_":
                xmp.read_part(body, draft)
            elif body.size > 16:
                read_maker_box(body, draft)


def _international(name: bytes, body: Span, draft: Draft) -> None:
    """A 16-bit size and language before the text."""
    if body.size < 4:
        return
    size, _ = body.unpack(_TEXT_HEAD, 0)
    words = text(body.part(4, min(size, body.size - 4)))
    if name == b"\xa9day":
        draft.claim("qt:creationdate", parse(words), _RECORDED, words)
    elif name == b"\xa9xyz":
        place(words, draft)
    elif name in _USER_TEXTS:
        setattr(draft, _USER_TEXTS[name], words)


def read_meta(part: Span, draft: Draft) -> None:
    """Read `meta`: a key list, tags without keys, or clip data as XML. QuickTime's has no version before its boxes.

    A tag `©day` without a time of day is a day of publishing as often as one of recording.
    """
    start = 0 if part.size >= 8 and part.read(4, 4) == b"hdlr" else 4
    keys: list[str] = []
    for name, body in boxes(part, start):
        if name == b"keys":
            keys = [text(key) for _, key in boxes(body, 8)]
        elif name == b"ilst":
            for index, item in boxes(body):
                number = U32.unpack(index)[0]
                if 1 <= number <= len(keys):
                    _keyed(keys[number - 1].rpartition("quicktime.")[2].lower(), item, draft)
                elif index == b"\xa9day":
                    _keyed("day", item, draft)
        elif name == b"xml ":
            clipdata.read(body.upto(4, MAX_MARKUP + 1), draft)


def _keyed(key: str, item: Span, draft: Draft) -> None:
    body = child(item, b"data")
    if body is None or body.size < 8:
        return
    words = text(body.rest(8))
    if key in ("creationdate", "day"):
        stamp = parse(words)
        if key == "day" and stamp is not None and stamp.precision < Precision.MINUTE:
            draft.claim("mp4:day", stamp, "the day in the file's tags", words)
        else:
            draft.claim("qt:creationdate", stamp, _RECORDED, words)
    elif key == "location.iso6709":
        place(words, draft)
    elif key == "content.identifier":
        draft.tie("content", words)
    elif key in _KEY_TEXTS:
        setattr(draft, _KEY_TEXTS[key], words)


def place(words: str, draft: Draft) -> None:
    """ISO 6709 annex H: latitude and longitude in signed degrees."""
    found = _POSITION.match(words)
    if found and abs(lat := float(found[1])) <= 90 and abs(lon := float(found[2])) <= 180:
        draft.position = (lat, lon)


def _place_3gp(body: Span, draft: Draft) -> None:
    """3GPP location: version, language, a name up to its NUL, role, then longitude and latitude as 16.16."""
    name = body.upto(6, 1024)
    wide = name[:2] in (b"\xfe\xff", b"\xff\xfe")
    end = name.find(b"\0\0" if wide else b"\0")
    if end >= 0:
        lon, lat = (value / 65536 for value in body.unpack(_PLACE, 6 + end + (2 if wide else 1) + 1))
        if abs(lat) <= 90 and abs(lon) <= 180:
            draft.position = (lat, lon)


def read_maker_box(body: Span, draft: Draft, depth: int = 0) -> None:
    """A box of a maker: a JPEG with Exif, a bare Exif block, a list of tags, or boxes that hold one of them."""
    head = body.upto(0, 64)
    at = head.find(b"\xff\xd8\xff")
    if at >= 0:
        size = draft.width, draft.height
        picture = body.rest(at)
        draft.preview(Stretch(picture.origin, picture.size))
        jpeg.read_metadata(picture, draft)
        draft.width, draft.height = size
        return
    names = [name for name, _ in _inner(body)] if depth < MAX_MAKER_DEPTH else []
    if names:
        for name, part in _inner(body):
            if name == b"NCTG":
                _maker_tags(part, draft)
            elif part.size > 16:
                read_maker_box(part, draft, depth + 1)
    elif b"\0" in head and clipdata.find(body, draft) is False:
        exif.find_block(body, draft)


def _inner(body: Span) -> list[tuple[bytes, Span]]:
    """The boxes within, where the body is made of nothing but boxes with printable names."""
    offset = 0
    found: list[tuple[bytes, Span]] = []
    while offset + 8 <= body.size and len(found) < 64:
        size, name = U32.unpack(body.read(offset, 4))[0], body.read(offset + 4, 4)
        if not 8 <= size <= body.size - offset or not name.isalnum():
            return []
        found.append((name, body.part(offset + 8, size - 8)))
        offset += size
    return found


def _maker_tags(body: Span, draft: Draft) -> None:
    """A list of tags: 32-bit number, 16-bit Exif type, 16-bit count, value."""
    offset = 0
    for _ in range(MAX_TAGS):
        if offset + _TAG.size > body.size:
            return
        tag, kind, many = body.unpack(_TAG, offset)
        size = _TAG_SIZES.get(kind, 1) * many
        if kind == 2 and tag in _TAGS:
            words = text(body.part(offset + _TAG.size, size))
            if _TAGS[tag] == "qt:creationdate":
                draft.claim("qt:creationdate", parse(words), _RECORDED, words)
            else:
                draft.made_by(**{_TAGS[tag]: words})
        offset += _TAG.size + size
