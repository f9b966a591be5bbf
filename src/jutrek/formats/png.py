"""PNG: Exif, XMP and texts before and behind the picture.

Follows PNG (third edition) sections 5.3 (chunks), 11.2.1 (IHDR), 11.3.2.7 (eXIf), 11.3.3 (texts), 11.3.4 (tIME:
the time of the last change, UTC). Writers that predate eXIf keep Exif as hexadecimal text, a "raw profile".
"""

from __future__ import annotations

import struct
import zlib

from jutrek.formats import exif, iptc, xmp
from jutrek.formats.draft import Draft
from jutrek.formats.reading import UTC_BY_DEFINITION, Stretch, Timestamp
from jutrek.formats.span import Span
from jutrek.formats.timestamps import parse

SIGNATURE = b"\x89PNG\r\n\x1a\n"
MAX_CHUNKS = 120
MAX_TEXT = 512 * 1024
TAIL = 64 * 1024

_CHUNK = struct.Struct(">I4s")
_HEADER = struct.Struct(">II")
_TIME = struct.Struct(">HBBBBB")
_BEHIND = (b"eXIf", b"iTXt", b"tEXt", b"zTXt", b"tIME")
_DESCRIBING = frozenset({b"IHDR", *_BEHIND})
_CREATION = "creation time"


def read(span: Span, draft: Draft) -> None:
    """Read a PNG's chunks. In a file of very many chunks, those behind the picture are looked for in its tail."""
    offset, first, last = len(SIGNATURE), 0, 0
    for _ in range(MAX_CHUNKS):
        size, name = span.unpack(_CHUNK, offset)
        if name == b"IDAT":
            first, last = first or offset, offset + 12 + size
        elif name in _DESCRIBING:
            _chunk(name, span.part(offset + 8, size), draft)
        offset += 12 + size
        if name == b"IEND":
            break
    else:
        last = span.size
        _tail(span, draft)
    if first:
        draft.payload = [Stretch(first, last - first)]


def _tail(span: Span, draft: Draft) -> None:
    start = max(0, span.size - TAIL)
    data = span.read(start, span.size - start)
    for name in _BEHIND:
        at = data.find(name)
        if at >= 4:
            size = int.from_bytes(data[at - 4 : at])
            if at + 4 + size + 4 <= len(data) and zlib.crc32(data[at : at + 4 + size]) == int.from_bytes(
                data[at + 4 + size : at + 8 + size]
            ):
                _chunk(name, span.part(start + at + 4, size), draft)


def _chunk(name: bytes, body: Span, draft: Draft) -> None:
    with draft.sparing(f"The {name.decode()} data are"):
        if name == b"IHDR":
            draft.width, draft.height = body.unpack(_HEADER, 0)
        elif name == b"eXIf":
            exif.read_block(body.loaded(0, min(body.size, MAX_TEXT)), draft)
        elif name == b"tIME":
            year, month, day, hour, minute, second = body.unpack(_TIME, 0)
            raw = f"{year:04}-{month:02}-{day:02} {hour:02}:{minute:02}:{second:02}"
            stamp = parse(raw)
            if stamp is not None:
                stamp = Timestamp(stamp.wall, stamp.precision, UTC_BY_DEFINITION, stamp.mended)
            draft.claim("png:changed", stamp, "the time of the last change of the picture", raw)
        elif body.size <= MAX_TEXT:
            _text(name, body, draft)


def _text(name: bytes, body: Span, draft: Draft) -> None:
    """`tEXt`: keyword and text; `zTXt`: keyword and packed text; `iTXt`: keyword, flags, language, keyword, text."""
    keyword, _, rest = body.read(0, body.size).partition(b"\0")
    packed = False
    if name == b"zTXt":
        rest = _unpacked(rest[1:])
    elif name == b"iTXt":
        packed, rest = rest[:1] == b"\1", rest[2:].partition(b"\0")[2].partition(b"\0")[2]
        rest = _unpacked(rest) if packed else rest
    key = keyword.decode("latin-1").strip().lower()
    if key == "xml:com.adobe.xmp":
        if name == b"iTXt" and not packed:
            draft.packed(body.where(body.size - len(rest)), len(rest))
        xmp.read(rest, draft)
    elif key == _CREATION:
        raw = rest.decode("utf-8", "replace").strip("\0 \n")[:64]
        draft.claim("png:created", parse(raw), "the creation time in the picture's texts", raw)
    elif key.startswith("raw profile type "):
        _profile(key.rpartition(" ")[2], rest, draft)


def _unpacked(data: bytes) -> bytes:
    try:
        return zlib.decompressobj().decompress(data, MAX_TEXT)
    except zlib.error:
        return b""


def _profile(kind: str, text: bytes, draft: Draft) -> None:
    """A raw profile: its name, its length in decimal digits, then hexadecimal digits in lines."""
    parts = text.split()
    try:
        data = bytes.fromhex(b"".join(parts[2:]).decode("ascii"))
    except ValueError:
        return
    if kind in ("exif", "app1") and data.startswith(b"Exif\0\0"):
        exif.read_block(Span(data[6:]), draft)
    elif kind in ("xmp", "app1"):
        xmp.read(data.removeprefix(b"http://ns.adobe.com/xap/1.0/\0"), draft)
    elif kind == "iptc":
        iptc.read_resources(data, draft) if data.startswith(b"8BIM") else iptc.read(data, draft)
