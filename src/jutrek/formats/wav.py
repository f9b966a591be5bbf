"""WAV, Broadcast Wave and their 64-bit forms: chunks, `bext`, `iXML` and the length of the sound.

Follows the RIFF/WAVE specification, EBU Tech 3285 (`bext`: description 256, originator 32, reference 32, date 10,
time 8, time reference 64 bits in samples since midnight, version, UMID 64), EBU R 99 (the reference), EBU Tech 3306 and
ITU-R BS.2088 (`RF64`, `BW64`, `ds64`), iXML 3.0 and XMP part 3 (`_PMX`).
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from datetime import timedelta

from jutrek.formats import id3, xmp
from jutrek.formats.draft import Draft
from jutrek.formats.markup import MAX_MARKUP, parsed
from jutrek.formats.reading import Precision, Stretch, Timestamp
from jutrek.formats.riff import chunks, read_information, text
from jutrek.formats.span import Span
from jutrek.formats.timestamps import parse

SIGNATURES = frozenset({b"RIFF", b"RF64", b"BW64"})

_FORMAT = struct.Struct("<HHII")
_BEXT = struct.Struct("<256s32s32s10s8sQ")
_UMID_AT, _UMID_SIZE = 348, 64
_REFERENCE = 32
_SIZES_64 = struct.Struct("<QQ")
_IN_DS64 = 0xFFFFFFFF
_DAY = 86_400
_DEVICE = (("DEVICE_MODEL", "model"), ("DEVICE_SERIAL", "serial"))
_TIES = (("SCENE", "scene"), ("TAKE", "take"), ("TAPE", "tape"), ("FAMILY_UID", "chapter"))


def read(span: Span, draft: Draft) -> None:
    """Read the chunks of a WAV file."""
    bytes_a_second = 0
    for name, size, body in _chunks(span):
        with draft.sparing("The recorder's data are"):
            if name == b"fmt ":
                _, draft.channels, draft.sample_rate, bytes_a_second = body.unpack(_FORMAT, 0)
            elif name == b"bext":
                read_broadcast(body, _rate(span), draft)
            elif name == b"iXML":
                _production(body, draft)
            elif name == b"LIST" and body.upto(0, 4) == b"INFO":
                read_information(body, draft)
            elif name in (b"id3 ", b"ID3 "):
                id3.read(body, draft)
            elif name == b"_PMX":
                xmp.read_part(body, draft)
        if name == b"data":
            _sound(body, size, draft)
    if bytes_a_second and draft.payload:
        draft.duration = draft.payload[0].size / bytes_a_second


def _chunks(span: Span) -> Iterator[tuple[bytes, int, Span]]:
    """The chunks, as `riff.chunks`; the size of the sound is the one in `ds64` where it says so."""
    offset = data_64 = 0
    for name, size, body in chunks(span, 12):
        if name == b"ds64":
            _, data_64 = body.unpack(_SIZES_64, 0) if body.size >= _SIZES_64.size else (0, 0)
        if name == b"data" and size == _IN_DS64:
            yield name, data_64, body.part(0, min(data_64, body.size))
            offset = span.size - body.size + data_64 + data_64 % 2
            break
        yield name, size, body
    if offset:
        yield from chunks(span, offset)


def _sound(body: Span, size: int, draft: Draft) -> None:
    if size > body.size:
        draft.note("The sound ends early: the file may have been cut off.")
    draft.payload = [Stretch(body.origin, min(size, body.size))]


def _rate(span: Span) -> int:
    """Samples a second. Recorders write `bext` before `fmt `, so this looks ahead."""
    for name, _, body in chunks(span, 12):
        if name == b"fmt ":
            return int(body.unpack(_FORMAT, 0)[2])
    return 0


def read_broadcast(body: Span, rate: int, draft: Draft) -> None:
    """Read a `bext` chunk; `rate` in samples a second, or 0 where it is not known."""
    _, originator, reference, day, clock, samples = body.unpack(_BEXT, 0)
    draft.made_by(make=text(originator), serial=_serial(text(reference), text(clock)))
    umid = body.upto(_UMID_AT, _UMID_SIZE)
    if any(umid[:32]):
        draft.tie("umid", umid[:32].hex().upper())
    raw = f"{text(day)} {text(clock)}"
    stamp = parse(raw)
    if stamp and stamp.precision is Precision.DAY and rate and 0 < samples // rate < _DAY:
        mended = "the time of day was taken from the sample count since midnight"
        stamp = Timestamp(stamp.wall + timedelta(seconds=samples // rate), Precision.SECOND, mended=mended)
    draft.claim("bext", stamp, "the recorder's date", raw)


def _serial(reference: str, clock: str) -> str:
    """The recorder's serial number in an originator reference; empty where that is made otherwise.

    A reference is unique for each take. By EBU R 99 it begins with a country (2), a facility (3) and a serial number
    (12), behind which the time of the take stands.
    """
    time = "".join(sign for sign in clock if sign.isdigit())
    is_r99 = len(reference) == _REFERENCE and len(time) == 6 and reference[17:23] == time
    return reference[5:17].strip(" 0-_") if is_r99 else ""


def _production(body: Span, draft: Draft) -> None:
    """iXML: the recorder, scene, take and tape, and the date of `bext` in another place."""
    root = parsed(body.upto(0, MAX_MARKUP + 1), draft, "The recorder's iXML data")
    if root is None:
        return
    found = {name: (root.findtext(f".//{name}") or "").strip() for name, _ in (*_DEVICE, *_TIES)}
    for name, field in _DEVICE:
        if found[name]:
            setattr(draft, field, found[name][:200])
    for name, kind in _TIES:
        draft.tie(kind, found[name])
    day, clock = (root.findtext(f".//BWF_ORIGINATION_{part}") or "" for part in ("DATE", "TIME"))
    if day:
        draft.claim("ixml", parse(f"{day} {clock}"), "the recorder's date in its iXML data", f"{day} {clock}".strip())
