"""JPEG XL: metadata boxes, packed ones included, and the picture's size from its bare stream.

Follows ISO/IEC 18181-1 annex D (size header) and 18181-2 (boxes `jxlc`, `jxlp`, `Exif`, `xml `, `brob`).
A bare stream carries no metadata.
"""

from __future__ import annotations

from jutrek.formats import exif, xmp
from jutrek.formats.boxes import boxes
from jutrek.formats.draft import Draft
from jutrek.formats.markup import MAX_MARKUP
from jutrek.formats.reading import Stretch
from jutrek.formats.span import Span

SIGNATURE = b"\0\0\0\x0cJXL \r\n\x87\n"
BARE = b"\xff\x0a"
MAX_PACKED, MAX_UNPACKED = 512 * 1024, 1024 * 1024

_RATIOS = ((1, 1), (1, 1), (12, 10), (4, 3), (3, 2), (16, 9), (5, 4), (2, 1))


def read(span: Span, draft: Draft) -> None:
    """Read a JPEG XL file, bare or in boxes."""
    if span.read(0, 2) == BARE:
        _size(span.upto(2, 16), draft)
        draft.payload = [Stretch(0, span.size)]
        return
    for name, body in boxes(span):
        with draft.sparing("The picture's data are"):
            if name in (b"jxlc", b"jxlp"):
                draft.payload.append(Stretch(body.origin, body.size))
                skip = 0 if name == b"jxlc" else 4
                if body.upto(skip, 2) == BARE:
                    _size(body.upto(skip + 2, 16), draft)
            elif name == b"brob":
                _metadata(body.read(0, 4), _unpacked(body.rest(4), draft), draft)
            elif name in (b"Exif", b"xml "):
                _metadata(name, body.loaded(0, min(body.size, MAX_MARKUP)), draft)


def _metadata(name: bytes, body: Span, draft: Draft) -> None:
    """`Exif`: a 32-bit offset before the TIFF structure; `xml `: an XMP packet."""
    if name == b"Exif" and body.size > 4:
        exif.read_block(body.rest(4 + int.from_bytes(body.read(0, 4))), draft)
    elif name == b"xml ":
        xmp.read(body.read(0, body.size), draft)


def _unpacked(body: Span, draft: Draft) -> Span:
    import brotli

    packed = body.upto(0, MAX_PACKED)
    try:
        return Span(brotli.Decompressor().process(packed, output_buffer_limit=MAX_UNPACKED))
    except brotli.error:
        draft.note("The packed metadata are damaged and were not read.")
        return Span(b"")


class _Bits:
    """Bits of a stream, the lowest of each byte first."""

    def __init__(self, data: bytes) -> None:
        self._value = int.from_bytes(data, "little")

    def take(self, count: int) -> int:
        value = self._value & ((1 << count) - 1)
        self._value >>= count
        return value


def _size(data: bytes, draft: Draft) -> None:
    bits = _Bits(data)
    small = bits.take(1)
    draft.height = _length(bits, small)
    ratio = bits.take(3)
    across, down = _RATIOS[ratio]
    draft.width = draft.height * across // down if ratio else _length(bits, small)


def _length(bits: _Bits, small: int) -> int:
    if small:
        return (bits.take(5) + 1) * 8
    return bits.take((9, 13, 18, 30)[bits.take(2)]) + 1
