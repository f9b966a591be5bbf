"""AVI: the header's dates, the streams, makers' blocks, and tape dates in DV within AVI.

Follows the AVI RIFF file reference (`avih`, `strh`, `strf`) and OpenDML 1.02 (`AVIX`: more RIFF forms behind the
first). Cameras write `IDIT` into the header list, in several spellings, and Exif into `strd`.
"""

from __future__ import annotations

import struct

from jutrek.formats import dv, exif, riff
from jutrek.formats.draft import Draft
from jutrek.formats.reading import Stretch
from jutrek.formats.span import Span

MAX_FORMS = 256

_HEADER = struct.Struct("<I12xI12xII")
_STREAM = struct.Struct("<4s4s12xII")
_WAVE = struct.Struct("<HHI")
_RIFF = struct.Struct("<4sI4s")
_DV_HANDLERS = frozenset({b"dvsd", b"dvhd", b"dvsl", b"dv25", b"dv50"})


def read(span: Span, draft: Draft) -> None:
    """Read the RIFF forms of an AVI file."""
    offset = 0
    for _ in range(MAX_FORMS):
        if offset + 12 > span.size:
            break
        name, size, form = span.unpack(_RIFF, offset)
        if name != b"RIFF" or form not in (b"AVI ", b"AVIX"):
            break
        _form(span.part(offset, min(size + 8, span.size - offset)), draft)
        offset += 8 + size + size % 2
    if not draft.payload:
        draft.note("The clip's pictures are missing: the file may have been cut off.")


def _form(span: Span, draft: Draft) -> None:
    taped = False
    for name, size, body in riff.chunks(span, 12):
        kind = body.upto(0, 4) if name == b"LIST" else name
        with draft.sparing("The clip's data are"):
            if kind == b"hdrl":
                taped = _header(body, draft)
            elif kind == b"INFO":
                riff.read_information(body, draft)
            elif kind == b"IDIT":
                riff.read_digitized(body, draft)
            elif kind == b"movi":
                draft.payload.append(Stretch(body.where(4), body.size - 4))
                if size > body.size:
                    draft.note("The clip ends early: the file may have been cut off.")
                if taped:
                    _first_frame(body, draft)


def _header(body: Span, draft: Draft) -> bool:
    """The header list. True when the pictures are DV."""
    taped = False
    for name, _, part in riff.chunks(body, 4):
        kind = part.upto(0, 4) if name == b"LIST" else name
        with draft.sparing("A part of the header is"):
            if kind == b"avih":
                frame, frames, width, height = part.unpack(_HEADER, 0)
                draft.width, draft.height = width, height
                if frame:
                    draft.frame_rate, draft.duration = round(1e6 / frame, 3), frames * frame / 1e6
            elif kind == b"IDIT":
                riff.read_digitized(part, draft)
            elif kind == b"strl":
                taped = _stream(part, draft) or taped
    return taped


def _stream(body: Span, draft: Draft) -> bool:
    kind, taped = b"", False
    for name, _, part in riff.chunks(body, 4):
        if name == b"strh":
            kind, handler, scale, rate = part.unpack(_STREAM, 0)
            taped = kind == b"iavs" or handler in _DV_HANDLERS
            if kind == b"vids" and scale and rate:
                draft.frame_rate = round(rate / scale, 3)
        elif name == b"strf" and kind == b"auds":
            _, draft.channels, draft.sample_rate = part.unpack(_WAVE, 0)
        elif name == b"strd":
            exif.find_block(part, draft)
    return taped


def _first_frame(body: Span, draft: Draft) -> None:
    for name, _, part in riff.chunks(body, 4):
        if name[2:] in (b"dc", b"db", b"__") and part.size >= dv.SHORTEST:
            dv.read_frame(part, draft)
            return
