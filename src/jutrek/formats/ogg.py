"""Ogg: Vorbis, Opus and FLAC within, by the comments in their second packet, and the length by the last page.

Follows RFC 3533 (pages: `OggS`, granule position, lacing), RFC 7845 section 5 (`OpusHead`, `OpusTags`; 48 kHz), the
Vorbis I specification 4.2 and the Ogg mapping of RFC 9639 section 10.1.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator

from jutrek.errors import BrokenFile
from jutrek.formats import flac, vorbis
from jutrek.formats.draft import Draft
from jutrek.formats.reading import Kind, Stretch
from jutrek.formats.span import Span

SIGNATURE = b"OggS"
MAX_PAGES, MAX_PACKET, TAIL = 64, 256 * 1024, 65_536

_PAGE = struct.Struct("<4sBBQIIIB")
_VORBIS = struct.Struct("<4xBI")
_OPUS = struct.Struct("<8xBBHI")
_OPUS_RATE = 48_000
_NO_GRANULE = 2**64 - 1


def read(span: Span, draft: Draft) -> None:
    """Read the first packets, and the last page's position."""
    draft.payload = [Stretch(0, span.size)]
    skipped = 0
    for number, packet in enumerate(_packets(span)):
        if number == 0:
            skipped = _head(packet, draft)
        elif number == 1:
            with draft.sparing("The sound's comments are"):
                _comments(packet, draft)
            break
    _length(span, skipped, draft)


def _packets(span: Span) -> Iterator[bytes]:
    """Packets of the first stream, joined over pages."""
    offset, packet, stream = 0, b"", None
    for _ in range(MAX_PAGES):
        if offset + _PAGE.size > span.size:
            return
        mark, _, _, _, serial, _, _, count = span.unpack(_PAGE, offset)
        if mark != SIGNATURE:
            return
        laces = span.read(offset + _PAGE.size, count)
        at = offset + _PAGE.size + count
        stream = serial if stream is None else stream
        for lace in laces if serial == stream else b"":
            packet += span.read(at, lace)
            at += lace
            if lace < 255 or len(packet) > MAX_PACKET:
                yield packet
                packet = b""
        offset += _PAGE.size + count + sum(laces)


def bodies(span: Span, start: int) -> Iterator[Stretch]:
    """Where the bodies of pages stand, from the first page on that holds sound: those before it have position 0.

    Raises:
        BrokenFile: where no page stands that should.
    """
    offset, begun = start, False
    while offset + _PAGE.size <= span.size:
        mark, _, _, granule, _, _, _, count = span.unpack(_PAGE, offset)
        if mark != SIGNATURE:
            raise BrokenFile(span.where(offset), "a page", mark.hex())
        at = offset + _PAGE.size + count
        size = sum(span.read(offset + _PAGE.size, count))
        begun = begun or granule not in (0, _NO_GRANULE)
        if begun and size:
            yield Stretch(span.where(at), size)
        offset = at + size


def _head(packet: bytes, draft: Draft) -> int:
    """The codec's first packet. Returns samples at the start that are not part of the sound."""
    body = Span(packet)
    with draft.sparing("The sound's header is"):
        if packet.startswith(b"\x01vorbis"):
            draft.channels, draft.sample_rate = body.unpack(_VORBIS, 7)
        elif packet.startswith(b"OpusHead"):
            draft.format = "opus"
            _, draft.channels, skipped, _ = body.unpack(_OPUS, 0)
            draft.sample_rate = _OPUS_RATE
            return int(skipped)
        elif packet.startswith(b"\x7fFLAC"):
            flac.read_block(0, body.rest(17), draft)
        elif packet.startswith(b"\x80theora"):
            draft.kind = Kind.CLIP
    return 0


def _comments(packet: bytes, draft: Draft) -> None:
    for start in (b"\x03vorbis", b"OpusTags", b"\x81theora"):
        if packet.startswith(start):
            vorbis.read(Span(packet).rest(len(start)), draft)
            return
    if packet[:1] and packet[0] & 0x7F == 4:
        vorbis.read(Span(packet).rest(4), draft)


def _length(span: Span, skipped: int, draft: Draft) -> None:
    start = max(0, span.size - TAIL)
    tail = span.read(start, span.size - start)
    at = tail.rfind(SIGNATURE)
    if draft.sample_rate and 0 <= at <= len(tail) - 14:
        granule = int.from_bytes(tail[at + 6 : at + 14], "little")
        if skipped <= granule < _NO_GRANULE:
            draft.duration = (granule - skipped) / draft.sample_rate
