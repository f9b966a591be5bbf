"""MPEG transport streams and AVCHD: the camcorder's date in the first pictures, and the length.

Follows ISO/IEC 13818-1 (packets 2.4.3.2, adaptation field 2.4.3.4, program association and map 2.4.4.3 and 2.4.4.8,
PES headers 2.4.3.6). AVCHD puts four bytes of arrival time before each packet.
"""

from __future__ import annotations

from collections.abc import Iterator

from jutrek.formats import mdpm
from jutrek.formats.draft import Draft
from jutrek.formats.reading import Stretch
from jutrek.formats.span import Span

BEGINNINGS = (32 * 1024, 256 * 1024)
"""Bytes that are looked through for the date: few at first, more where it is not among them."""
TAIL = 64 * 1024

_PACKET, _SYNC = 188, 0x47
_PICTURES = {0x01: "mpeg-1", 0x02: "mpeg-2", 0x1B: "h264", 0x24: "h265"}
_H264 = 0x1B
_CLOCK = 90_000

Packet = tuple[int, bool, bytes]
"""Number of its stream, whether a unit starts in it, payload."""


def stride(head: bytes) -> int:
    """The distance between packets, 188 or 192 bytes; 0 where the bytes are no transport stream."""
    for size, offset in ((188, 0), (192, 4)):
        marks = head[offset : offset + 5 * size : size]
        if len(marks) >= 4 and set(marks) == {_SYNC}:
            return size
    return 0


def starts(head: bytes, _: int) -> bool:
    """Whether a file begins with packets."""
    return stride(head) > 0


def read(span: Span, draft: Draft) -> None:
    """Read the beginning of the pictures, and the clocks at both ends."""
    draft.payload = [Stretch(0, span.size)]
    size = stride(span.upto(0, 1024))
    packets: list[Packet] = []
    for beginning in BEGINNINGS:
        packets = list(_packets(span.upto(0, beginning), size))
        pictures = _pictures(packets)
        if pictures is not None and (pictures[1] != _H264 or mdpm.read(_stream(packets, pictures[0]), draft)):
            break
    start = max(0, span.size - TAIL) // size * size
    first, last = _clock(packets), _clock(list(_packets(span.upto(start, TAIL), size)), latest=True)
    if first is not None and last is not None:
        draft.duration = ((last - first) % 2**33) / _CLOCK


def _packets(data: bytes, size: int) -> Iterator[Packet]:
    for at in range(size - _PACKET, len(data) - _PACKET + 1, size):
        if data[at] != _SYNC:
            return
        number = (data[at + 1] & 0x1F) << 8 | data[at + 2]
        control = data[at + 3] >> 4 & 3
        skip = 4 + (1 + data[at + 4] if control & 2 else 0)
        payload = data[at + skip : at + _PACKET] if control & 1 and skip < _PACKET else b""
        yield number, bool(data[at + 1] & 0x40), payload


def _section(packets: list[Packet], number: int) -> bytes:
    for pid, starts, payload in packets:
        if pid == number and starts and payload:
            return payload[1 + payload[0] :]
    return b""


def _pictures(packets: list[Packet]) -> tuple[int, int] | None:
    """Number and type of the picture stream, from the program's map."""
    table = _section(packets, 0)
    programs = [table[at : at + 4] for at in range(8, min(len(table), 64) - 3, 4)]
    for program in programs:
        if int.from_bytes(program[:2]) == 0:
            continue
        streams = _section(packets, int.from_bytes(program[2:]) & 0x1FFF)
        if len(streams) < 12 or streams[0] != 2:
            return None
        end = 3 + (int.from_bytes(streams[1:3]) & 0x0FFF) - 4
        at = 12 + (int.from_bytes(streams[10:12]) & 0x0FFF)
        while at + 5 <= min(end, len(streams)):
            if streams[at] in _PICTURES:
                return int.from_bytes(streams[at + 1 : at + 3]) & 0x1FFF, streams[at]
            at += 5 + (int.from_bytes(streams[at + 3 : at + 5]) & 0x0FFF)
        return None
    return None


def _stream(packets: list[Packet], number: int) -> bytes:
    """The elementary stream, without the headers of its units."""
    parts = []
    for pid, starts, payload in packets:
        if pid == number:
            is_unit = starts and payload[:3] == b"\0\0\1" and len(payload) > 9
            parts.append(payload[9 + payload[8] :] if is_unit else payload)
    return b"".join(parts)


def _clock(packets: list[Packet], *, latest: bool = False) -> int | None:
    """The first presentation time of any stream in ticks of 90 kHz, or the last one."""
    for _, starts, payload in reversed(packets) if latest else packets:
        if starts and payload[:3] == b"\0\0\1" and len(payload) >= 14 and payload[7] & 0x80:
            p = payload[9:14]
            return (p[0] >> 1 & 7) << 30 | p[1] << 22 | (p[2] >> 1) << 15 | p[3] << 7 | p[4] >> 1
    return None
