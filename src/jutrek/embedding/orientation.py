"""Which way is up, in files that do not say it yet: an Exif block of that one tag (Exif 2.32 4.6.4, tag 0x0112).

In a JPEG it is the APP1 segment behind JFIF's (4.5.4), in a PNG the chunk `eXIf` before the picture (PNG third edition
11.3.2.7). A file that has an Exif block without the tag is left: the block would have to be put together anew.
"""

from __future__ import annotations

import os
import struct
import zlib
from collections.abc import Sequence

from jutrek.embedding import jpeg, png
from jutrek.errors import BrokenFile, SourceUnreadable
from jutrek.formats import Reading, open_read_only
from jutrek.formats.span import FileBytes, Span
from jutrek.formats.splices import Splice

_BLOCK = struct.Struct("<2sHIHHHIHHI")
_TAG, _SHORT = 0x0112, 3


def saying_it(path: str, reading: Reading, value: int) -> Sequence[Splice]:
    """What is put into a file so that it says which way is up; nothing where it has no room for that.

    Args:
        path: of it.
        reading: of it.
        value: the orientation, 1 to 8.

    Raises:
        SourceUnreadable: when it can't be read.
    """
    if reading.format not in ("jpeg", "png") or not reading.payload:
        return ()
    fd = open_read_only(path)
    try:
        span = Span(FileBytes(fd, os.fstat(fd).st_size, limit=None))
        return _in_jpeg(span, reading, value) if reading.format == "jpeg" else _in_png(span, value)
    except BrokenFile:
        return ()
    except OSError as error:
        raise SourceUnreadable(path, error) from error
    finally:
        os.close(fd)


def _block(value: int) -> bytes:
    """A TIFF structure with one directory of one entry."""
    return _BLOCK.pack(b"II", 42, 8, 1, _TAG, _SHORT, 1, value, 0, 0)


def _in_jpeg(span: Span, reading: Reading, value: int) -> Sequence[Splice]:
    if jpeg.room(span, reading) is None:
        return ()
    at = 2
    for marker, offset, size in jpeg.segments(span):
        if span.upto(offset + 4, len(jpeg.EXIF)) == jpeg.EXIF:
            return ()
        if marker == jpeg.APP0 and offset == at:
            at += size
    body = jpeg.EXIF + _block(value)
    return (Splice(at, b"", jpeg.SEGMENT.pack(0xFF, jpeg.APP1, 2 + len(body)) + body),)


def _in_png(span: Span, value: int) -> Sequence[Splice]:
    first = 0
    if png.room(span) is None:
        return ()
    for name, offset, _ in png.chunks(span):
        if name == b"eXIf":
            return ()
        first = first or (offset if name == b"IDAT" else 0)
    body = b"eXIf" + _block(value)
    return (Splice(first, b"", (len(body) - 4).to_bytes(4) + body + zlib.crc32(body).to_bytes(4)),)
