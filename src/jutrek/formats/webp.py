"""WebP: Exif and XMP chunks, and the picture's size in its three forms.

Follows RFC 9649 sections 2.5 (VP8), 2.6 (VP8L), 2.7 (VP8X, EXIF, XMP) and 3.4 (VP8L header).
"""

from __future__ import annotations

import struct

from jutrek.formats import exif, xmp
from jutrek.formats.draft import Draft
from jutrek.formats.reading import Stretch
from jutrek.formats.riff import chunks
from jutrek.formats.span import Span

MAX_EXIF = 512 * 1024

_LOSSY = struct.Struct("<3s3sHH")
_LOSSLESS = struct.Struct("<BI")
_PICTURES = frozenset({b"VP8 ", b"VP8L", b"ANMF", b"ALPH"})


def read(span: Span, draft: Draft) -> None:
    """Read the chunks of a WebP file."""
    for name, size, body in chunks(span, 12):
        if name in _PICTURES:
            draft.payload.append(Stretch(body.origin, body.size))
            if size > body.size:
                draft.note("The picture ends early: the file may have been cut off.")
        with draft.sparing("The picture's data are"):
            if name == b"VP8X":
                flags = body.read(4, 6)
                draft.width = int.from_bytes(flags[:3], "little") + 1
                draft.height = int.from_bytes(flags[3:], "little") + 1
            elif name == b"VP8 " and not draft.width:
                _, _, width, height = body.unpack(_LOSSY, 0)
                draft.width, draft.height = width & 0x3FFF, height & 0x3FFF
            elif name == b"VP8L" and not draft.width:
                bits = body.unpack(_LOSSLESS, 0)[1]
                draft.width, draft.height = (bits & 0x3FFF) + 1, (bits >> 14 & 0x3FFF) + 1
            elif name == b"EXIF":
                start = 6 if body.upto(0, 6) == b"Exif\0\0" else 0
                exif.read_block(body.loaded(start, min(body.size - start, MAX_EXIF)), draft)
            elif name == b"XMP ":
                xmp.read_part(body, draft)
