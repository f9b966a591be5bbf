"""XMP packets in files: the room that each format has for one, and the proof that a file with another is the same.

`room_of` is the one way in. It changes nothing: what is to be replaced goes to `transfer.amending`.
"""

from __future__ import annotations

import os

from jutrek.embedding import heif, jpeg, movie, png, wav
from jutrek.embedding.room import MAX_PACKET, Room, wrapped
from jutrek.errors import BrokenFile, SourceUnreadable
from jutrek.formats import Reading, open_read_only
from jutrek.formats.span import FileBytes, Span

__all__ = ["FORMATS", "MAX_PACKET", "Room", "room_of", "wrapped"]

_BOXED = frozenset({"mp4", "m4v", "m4a", "mov"})
_PICTURES = frozenset({"heic", "heif", "avif"})
FORMATS = frozenset({"jpeg", "png", "wav"}) | _BOXED | _PICTURES
"""Formats that may have room for a packet."""


def room_of(path: str, reading: Reading) -> Room | None:
    """The room that a file has for a packet; None where it has none, or where one could not be written without a doubt.

    Args:
        path: of it.
        reading: of it.

    Raises:
        SourceUnreadable: when it can't be read.
    """
    if reading.format not in FORMATS or not reading.payload:
        return None
    fd = open_read_only(path)
    try:
        return _room(Span(FileBytes(fd, os.fstat(fd).st_size, limit=None)), reading)
    except BrokenFile:
        return None
    except OSError as error:
        raise SourceUnreadable(path, error) from error
    finally:
        os.close(fd)


def _room(span: Span, reading: Reading) -> Room | None:
    if reading.format == "jpeg":
        return jpeg.room(span, reading)
    if reading.format == "png":
        return png.room(span)
    if reading.format == "wav":
        return wav.room(span)
    return heif.room(span) if reading.format in _PICTURES else movie.room(span, reading)
