"""CR3: a raw in ISO boxes, with Exif directories and previews in the maker's boxes.

In `moov`, a `uuid` box holds `CMT1` (first directory), `CMT2` (Exif), `CMT3` (maker note) and `CMT4` (satellite data),
each a TIFF structure of its own, and `THMB`, a small JPEG. A `uuid` box at the top holds `PRVW`, a larger one.
"""

from __future__ import annotations

from jutrek.formats import exif
from jutrek.formats.boxes import boxes
from jutrek.formats.directories import Tiff
from jutrek.formats.draft import Draft
from jutrek.formats.reading import Stretch
from jutrek.formats.span import Span

METADATA = bytes.fromhex("85c0b687820f11e08111f4ce462b6a48")
PREVIEW = bytes.fromhex("eaf42b5e1c984b88b9fbb7dc406e4d16")


def read_metadata(part: Span, draft: Draft) -> None:
    """Read the maker's box in the movie header."""
    if part.upto(0, 16) != METADATA:
        return
    for name, body in boxes(part, 16):
        with draft.sparing("The camera's data are"):
            if name == b"CMT1":
                exif.read_block(body, draft)
                _size(body, draft)
            elif name == b"CMT2":
                exif.read_exif(Tiff.opened(body), draft)
            elif name == b"CMT4":
                exif.read_satellite(Tiff.opened(body), draft)
            elif name == b"THMB":
                _jpeg(body, draft)


def read_preview(part: Span, draft: Draft) -> None:
    """Read the box at the top that holds a preview: eight bytes before its boxes."""
    if part.upto(0, 16) == PREVIEW:
        for name, body in boxes(part, 24):
            if name == b"PRVW":
                _jpeg(body, draft)


def _size(body: Span, draft: Draft) -> None:
    tiff = Tiff.opened(body)
    entries = tiff.one(tiff.first)
    draft.width, draft.height = tiff.number(entries, 0x0100), tiff.number(entries, 0x0101)


def _jpeg(body: Span, draft: Draft) -> None:
    at = body.upto(0, 64).find(b"\xff\xd8\xff")
    if at >= 0:
        draft.preview(Stretch(body.where(at), body.size - at))
