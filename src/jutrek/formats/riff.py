"""RIFF: the chunks that WAV, AVI and WebP are made of, and the information list that they share.

Follows the Multimedia Programming Interface and Data Specifications 1.0 (RIFF, `LIST INFO`): little-endian sizes,
bodies padded to even lengths.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator

from jutrek.formats.draft import Draft
from jutrek.formats.span import Span
from jutrek.formats.timestamps import parse

MAX_CHUNKS = 1000

_CHUNK = struct.Struct("<4sI")


def chunks(span: Span, offset: int) -> Iterator[tuple[bytes, int, Span]]:
    """Chunks one after the other: name, size as stated, and the body as far as the file goes."""
    for _ in range(MAX_CHUNKS):
        if offset + 8 > span.size:
            return
        name, size = span.unpack(_CHUNK, offset)
        yield name, size, span.part(offset + 8, min(size, span.size - offset - 8))
        offset += 8 + size + size % 2


def read_information(body: Span, draft: Draft) -> None:
    """Read a `LIST INFO`: the date of creation, and the date of digitizing that some cameras put there."""
    for name, _, part in chunks(body, 4):
        if name == b"ICRD":
            raw = text(part.upto(0, 64))
            draft.claim("info:created", parse(raw), "the date in the file's information list", raw)
        elif name == b"IDIT":
            read_digitized(part, draft)


def read_digitized(body: Span, draft: Draft) -> None:
    """Read an `IDIT` chunk: the date of recording, in several spellings."""
    raw = text(body.upto(0, 64))
    draft.claim("idit", parse(raw), "the camera's date of recording", raw)


def text(data: bytes) -> str:
    """Text up to its first NUL."""
    return data.partition(b"\0")[0].decode("utf-8", "replace").strip()
