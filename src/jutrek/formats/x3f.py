"""X3F: a raw of sections, with properties as text and previews as JPEG.

Little-endian: `FOVb`, version, identifier, marks, columns and rows; the last four bytes of the file point to the
directory (`SECd`). `PROP` sections hold pairs of UTF-16 texts: `TIME` counts seconds from 1970, `CAMMANUF`, `CAMMODEL`,
`CAMSERIAL` name the device. The clock is the camera's own, so its time is taken as local, without offset.
"""

from __future__ import annotations

import struct
from datetime import datetime

from jutrek.errors import BrokenFile
from jutrek.formats import jpeg
from jutrek.formats.draft import Draft
from jutrek.formats.reading import Stretch, Timestamp
from jutrek.formats.span import Span
from jutrek.formats.timestamps import since

SIGNATURE = b"FOVb"
MAX_SECTIONS, MAX_PROPERTIES, MAX_PROPERTY_BYTES = 64, 200, 64 * 1024

_U32 = struct.Struct("<I")
_SIZE = struct.Struct("<II")
_DIRECTORY = struct.Struct("<4sII")
_SECTION = struct.Struct("<II4s")
_PROPERTIES = struct.Struct("<4sIIIII")
_IMAGE = struct.Struct("<4sIIIII")
_IMAGE_HEADER = 28
_JPEG_DATA = 0x12


def read(span: Span, draft: Draft) -> None:
    """Read the sections that the directory at the end names."""
    draft.width, draft.height = span.unpack(_SIZE, 28)
    (at,) = span.unpack(_U32, span.size - 4)
    mark, _, count = span.unpack(_DIRECTORY, at)
    if mark != b"SECd":
        raise BrokenFile(span.where(at), "a directory of sections", repr(mark))
    for number in range(min(count, MAX_SECTIONS)):
        offset, size, kind = span.unpack(_SECTION, at + _DIRECTORY.size + number * _SECTION.size)
        with draft.sparing("A section is"):
            section = span.part(offset, size)
            if kind == b"PROP":
                _properties(section, draft)
            elif kind in (b"IMAG", b"IMA2"):
                _image(section, draft)


def _properties(section: Span, draft: Draft) -> None:
    _, _, count, _, _, signs = section.unpack(_PROPERTIES, 0)
    count = min(count, MAX_PROPERTIES)
    texts_at = _PROPERTIES.size + count * 8
    texts = section.upto(texts_at, min(signs * 2, MAX_PROPERTY_BYTES))
    found: dict[str, str] = {}
    for number in range(count):
        name, value = section.unpack(_SIZE, _PROPERTIES.size + number * 8)
        found[_text(texts, name)] = _text(texts, value)
    draft.made_by(found.get("CAMMANUF", ""), found.get("CAMMODEL", ""), found.get("CAMSERIAL", ""))
    seconds = found.get("TIME", "")
    if seconds.isascii() and seconds.isdigit() and len(seconds) < 12 and int(seconds):
        stamp = since(datetime(1970, 1, 1), int(seconds))
        local = Timestamp(stamp.wall) if stamp else None
        draft.claim("x3f", local, "the camera's time of shooting", seconds)


def _text(texts: bytes, at: int) -> str:
    """A text by the number of 16-bit signs before it."""
    return texts[at * 2 : at * 2 + 512].decode("utf-16-le", "replace").partition("\0")[0]


def _image(section: Span, draft: Draft) -> None:
    _, _, _, data, _, _ = section.unpack(_IMAGE, 0)
    picture = section.rest(_IMAGE_HEADER)
    if data == _JPEG_DATA:
        draft.preview(Stretch(picture.origin, picture.size))
        width, height = draft.width, draft.height
        with draft.sparing("The preview is"):
            jpeg.read_metadata(picture, draft)
        draft.width, draft.height = width, height
    else:
        draft.payload.append(Stretch(picture.origin, picture.size))
