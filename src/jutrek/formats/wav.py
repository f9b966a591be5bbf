"""WAV, Broadcast Wave and their 64-bit forms: chunks, `bext`, `iXML` and the length of the sound.

Follows the RIFF/WAVE specification, EBU Tech 3285 (`bext`: description 256, originator 32, reference 32, date 10,
time 8, time reference 64 bits in samples since midnight) and EBU Tech 3306 / ITU-R BS.2088 (`RF64`, `BW64`, `ds64`).
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from datetime import timedelta

from jutrek.errors import BrokenFile
from jutrek.formats.reading import Draft, Kind, Precision, Stamp
from jutrek.formats.span import Span
from jutrek.formats.stamps import parse

MAX_CHUNKS = 1000
MAX_IXML = 512 * 1024
SIGNATURES = frozenset({b"RIFF", b"RF64", b"BW64"})

_CHUNK = struct.Struct("<4sI")
_FORMAT = struct.Struct("<HHII")
_BEXT = struct.Struct("<256s32s32s10s8sQ")
_SIZES_64 = struct.Struct("<QQ")
_IN_DS64 = 0xFFFFFFFF


def chunks(span: Span, offset: int) -> Iterator[tuple[bytes, int, Span]]:
    """Chunks one after the other: name, size as stated, and the body as far as the file goes."""
    for _ in range(MAX_CHUNKS):
        if offset + 8 > span.size:
            return
        name, size = span.unpack(_CHUNK, offset)
        yield name, size, span.part(offset + 8, min(size, span.size - offset - 8))
        offset += 8 + size + size % 2


def read(span: Span, draft: Draft) -> None:
    """Read the chunks of a WAV file."""
    draft.kind, draft.format = Kind.SOUND, "wav"
    bytes_a_second = data = data_64 = 0
    for name, size, body in chunks(span, 12):
        if name == b"ds64":
            _, data_64 = body.unpack(_SIZES_64, 0)
        elif name == b"fmt ":
            _, _, _, bytes_a_second = body.unpack(_FORMAT, 0)
        elif name == b"bext":
            _broadcast(body, _rate(span), draft)
        elif name == b"iXML":
            _production(body, draft)
        elif name == b"LIST" and body.size >= 4 and body.read(0, 4) == b"INFO":
            _information(body, draft)
        elif name == b"data":
            data = data_64 if size == _IN_DS64 else size
            if data > body.size:
                draft.notes.append("The sound ends early: the file may have been cut off.")
                data = body.size
            if size == _IN_DS64:
                break
    if bytes_a_second:
        draft.duration = data / bytes_a_second


def _rate(span: Span) -> int:
    """Samples a second. Recorders write `bext` before `fmt `, so this looks ahead."""
    for name, _, body in chunks(span, 12):
        if name == b"fmt ":
            return int(body.unpack(_FORMAT, 0)[2])
    return 0


def _broadcast(body: Span, rate: int, draft: Draft) -> None:
    _, originator, reference, day, clock, samples = body.unpack(_BEXT, 0)
    draft.make = draft.make or _text(originator)
    draft.serial = draft.serial or _text(reference)
    raw = f"{_text(day)} {_text(clock)}"
    stamp = parse(raw)
    if stamp and stamp.precision is Precision.DAY and rate:
        since_midnight = timedelta(seconds=samples // rate)
        if timedelta(0) < since_midnight < timedelta(days=1):
            mended = "the time of day was taken from the sample count since midnight"
            stamp = Stamp(stamp.wall + since_midnight, Precision.SECOND, mended=mended)
    draft.claim("bext", stamp, "the recorder's date", raw)


def _production(body: Span, draft: Draft) -> None:
    """iXML 3.0: the recorder's name stands in the same words as in `bext`, and scene and take beside it."""
    from lxml import etree

    text = body.read(0, min(body.size, MAX_IXML)).strip(b"\0 \r\n")
    if b"<!DOCTYPE" in text or b"<!ENTITY" in text:
        return
    try:
        root = etree.fromstring(text, etree.XMLParser(resolve_entities=False, no_network=True, huge_tree=False))
    except (etree.XMLSyntaxError, ValueError) as error:
        raise BrokenFile(body.start, "well-formed iXML", type(error).__name__) from error
    for tag, name in (("DEVICE_MODEL", "model"), ("DEVICE_SERIAL", "serial")):
        if value := (root.findtext(f".//{tag}") or "").strip():
            setattr(draft, name, value)


def _information(body: Span, draft: Draft) -> None:
    for name, _, text in chunks(body, 4):
        if name == b"ICRD":
            raw = _text(text.read(0, min(text.size, 64)))
            draft.claim("info:created", parse(raw), "the date in the sound file's information", raw)


def _text(data: bytes) -> str:
    return data.split(b"\0", 1)[0].decode("utf-8", "replace").strip()
