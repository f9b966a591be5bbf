"""MPEG program streams: the picture's size, frame rate, timecode and length. Their dates stand beside them.

Follows ISO/IEC 13818-1 section 2.5.3.3 (packs and their clock), ISO/IEC 13818-2 section 6.2.2.1 (sequence header)
and 6.2.2.6 (group of pictures: timecode). Camcorders write the date into a `.MOI` file of the same name.
"""

from __future__ import annotations

from jutrek.formats.draft import Draft
from jutrek.formats.reading import Stretch
from jutrek.formats.span import Span

SIGNATURE = b"\0\0\1\xba"

TAIL = 64 * 1024

_CLOCK = 90_000
_SEQUENCE, _GROUP = b"\0\0\1\xb3", b"\0\0\1\xb8"
_RATES = (0.0, 23.976, 24.0, 25.0, 29.97, 30.0, 50.0, 59.94, 60.0)


def read(span: Span, draft: Draft) -> None:
    """Read the first pictures' headers."""
    draft.payload = [Stretch(0, span.size)]
    data = span.upto(0, 65_536)
    at = data.find(_SEQUENCE)
    if 0 <= at <= len(data) - 8:
        head = data[at + 4 : at + 8]
        draft.width, draft.height = head[0] << 4 | head[1] >> 4, (head[1] & 15) << 8 | head[2]
        rate = head[3] & 15
        draft.frame_rate = _RATES[rate] if rate < len(_RATES) else 0.0
    tail = span.upto(max(0, span.size - TAIL), TAIL)
    first, last = _clock(data, data.find(SIGNATURE)), _clock(tail, tail.rfind(SIGNATURE))
    if first is not None and last is not None:
        draft.duration = (last - first) % 2**33 / _CLOCK
    at = data.find(_GROUP)
    if 0 <= at <= len(data) - 8:
        bits = int.from_bytes(data[at + 4 : at + 8])
        hour, minute, second, frame = bits >> 26 & 31, bits >> 20 & 63, bits >> 13 & 63, bits >> 7 & 63
        draft.timecode = f"{hour:02}:{minute:02}:{second:02}{';' if bits >> 31 else ':'}{frame:02}"


def _clock(data: bytes, at: int) -> int | None:
    """The clock of the pack at `at` in ticks of 90 kHz: 33 bits between markers, in MPEG-2's form or MPEG-1's."""
    pack = data[at + 4 : at + 10] if at >= 0 else b""
    if len(pack) < 6:
        return None
    bits = int.from_bytes(pack)
    if pack[0] >> 6 == 1:
        return (bits >> 43 & 7) << 30 | (bits >> 27 & 0x7FFF) << 15 | bits >> 11 & 0x7FFF
    return (bits >> 41 & 7) << 30 | (bits >> 25 & 0x7FFF) << 15 | bits >> 9 & 0x7FFF
