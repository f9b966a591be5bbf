"""ID3v2 tags: the dates of recording, encoding and tagging, told apart.

Follows ID3v2.4.0 (structure 3.1, frames 4, `TDRC`, `TDEN`, `TDTG`, `TDOR`), ID3v2.3.0 (`TYER`, `TDAT` as DDMM, `TIME`
as HHMM) and ID3v2.2.0 (three-letter names). Sizes are 28-bit; unsynchronisation puts a zero behind every 0xFF.
"""

from __future__ import annotations

from collections.abc import Iterator

from jutrek.formats.draft import Draft
from jutrek.formats.span import Span
from jutrek.formats.timestamps import parse

MAX_TAG, MAX_FRAMES, MAX_FRAME = 256 * 1024, 500, 1024

_ENCODINGS = {0: "latin-1", 1: "utf-16", 2: "utf-16-be", 3: "utf-8"}
_DATES = {
    "TDRC": ("id3:recorded", "the date of recording in the sound's tag"),
    "TDEN": ("id3:encoded", "the date of encoding in the sound's tag"),
    "TDTG": ("id3:tagged", "the date of tagging in the sound's tag"),
}
_OLD_NAMES = {"TYE": "TYER", "TDA": "TDAT", "TIM": "TIME"}


def size_of(head: bytes) -> int:
    """Bytes of a tag that begins with `head`, its own header included; 0 where there is none."""
    if head[:3] != b"ID3" or len(head) < 10 or max(head[6:10]) > 127:
        return 0
    return 10 + _seven_bits(head[6:10])


def read(span: Span, draft: Draft) -> None:
    """Read a tag."""
    head = span.upto(0, 10)
    size = size_of(head)
    if not size:
        return
    version, flags = head[3], head[5]
    body = span.upto(10, min(size - 10, MAX_TAG))
    if flags & 0x80 and version < 4:
        body = body.replace(b"\xff\x00", b"\xff")
    texts = dict(_texts(body, version, extended=bool(flags & 0x40)))
    for name, (at, where) in _DATES.items():
        if raw := texts.get(name, ""):
            draft.claim(at, parse(raw), where, raw)
    year, day, time = (texts.get(name, "") for name in ("TYER", "TDAT", "TIME"))
    if len(year) == 4 and "TDRC" not in texts:
        raw = f"{year} {day} {time}".strip()
        draft.claim("id3:recorded", parse(_joined(year, day, time)), _DATES["TDRC"][1], raw)


def _joined(year: str, day: str, time: str) -> str:
    """Version 2.3 keeps the year, the day as DDMM and the time as HHMM in frames of their own."""
    joined = year
    if len(day) == 4:
        joined += f"-{day[2:]}-{day[:2]}"
        if len(time) == 4:
            joined += f"T{time[:2]}:{time[2:]}"
    return joined


def _texts(body: bytes, version: int, *, extended: bool) -> Iterator[tuple[str, str]]:
    name_size, head_size = (3, 6) if version == 2 else (4, 10)
    at = _extended(body, version) if extended and version > 2 else 0
    for _ in range(MAX_FRAMES):
        name = body[at : at + name_size]
        if at + head_size > len(body) or not name.isalnum():
            return
        digits = body[at + name_size : at + name_size + (3 if version == 2 else 4)]
        size = _seven_bits(digits) if version == 4 else int.from_bytes(digits)
        flags = body[at + 9] if version == 4 else 0
        data = body[at + head_size : at + head_size + size]
        if name[:1] == b"T" and 1 < size <= MAX_FRAME:
            if flags & 0x02:
                data = data.replace(b"\xff\x00", b"\xff")
            if flags & 0x01:
                data = data[4:]
            encoding = _ENCODINGS.get(data[0], "latin-1") if data else "latin-1"
            words = data[1:].decode(encoding, "replace").strip("\0 ")
            text = name.decode("ascii", "replace")
            yield _OLD_NAMES.get(text, text), words
        at += head_size + size


def _extended(body: bytes, version: int) -> int:
    """Bytes of the extended header: its size includes itself in version 2.4 and leaves itself out in 2.3."""
    return _seven_bits(body[:4]) if version == 4 else 4 + int.from_bytes(body[:4])


def _seven_bits(data: bytes) -> int:
    value = 0
    for byte in data:
        value = value << 7 | byte & 0x7F
    return value
