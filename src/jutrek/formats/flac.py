"""FLAC: stream facts, comments, and a recorder's `bext` kept from the WAV that it was made of.

Follows RFC 9639 section 8 (metadata blocks: STREAMINFO, APPLICATION, VORBIS_COMMENT, PICTURE). Application `riff`
holds one RIFF chunk as it stood.
"""

from __future__ import annotations

from jutrek.formats import vorbis, wav
from jutrek.formats.draft import Draft
from jutrek.formats.reading import Stretch
from jutrek.formats.riff import chunks
from jutrek.formats.span import Span

SIGNATURE = b"fLaC"
MAX_BLOCKS = 128

_STREAM, _APPLICATION, _COMMENTS, _PICTURE = 0, 2, 4, 6


def read(span: Span, draft: Draft) -> None:
    """Read the metadata blocks, behind an ID3 tag that some writers put first."""
    offset = 4
    for _ in range(MAX_BLOCKS):
        head = span.read(offset, 4)
        size = int.from_bytes(head[1:])
        body = span.part(offset + 4, size)
        with draft.sparing("The sound's data are"):
            read_block(head[0] & 0x7F, body, draft)
        offset += 4 + size
        if head[0] & 0x80:
            break
    draft.payload = [Stretch(span.where(offset), span.size - offset)]


def read_block(kind: int, body: Span, draft: Draft) -> None:
    """Read one metadata block."""
    if kind == _STREAM:
        bits = int.from_bytes(body.read(10, 8))
        draft.sample_rate, draft.channels = bits >> 44, (bits >> 41 & 7) + 1
        if draft.sample_rate:
            draft.duration = (bits & (1 << 36) - 1) / draft.sample_rate
    elif kind == _COMMENTS:
        vorbis.read(body, draft)
    elif kind == _APPLICATION and body.upto(0, 4) == b"riff":
        for name, _, part in chunks(body, 4):
            if name == b"bext":
                wav.read_broadcast(part, draft.sample_rate, draft)
    elif kind == _PICTURE:
        at = body.upto(0, 512).find(b"\xff\xd8\xff")
        if at >= 0:
            draft.preview(Stretch(body.where(at), body.size - at))
