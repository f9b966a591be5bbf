"""MP3: the tag before the sound, and the length by its first frame.

Follows ISO/IEC 11172-3 section 2.4.1.3 and 13818-3 (frame header: version, layer, bit rate, sample rate). A first frame
that holds `Xing` or `Info` says how many frames there are; without it the bit rate of the first frame is taken.
"""

from __future__ import annotations

from typing import NamedTuple

from jutrek.formats import flac, id3
from jutrek.formats.draft import Draft
from jutrek.formats.reading import Stretch
from jutrek.formats.span import Span

SEARCH = 4096

_RATES = {3: (44_100, 48_000, 32_000), 2: (22_050, 24_000, 16_000), 0: (11_025, 12_000, 8_000)}
_BIT_RATES_1 = (0, 32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320)
_BIT_RATES_2 = (0, 8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160)
_LAYER_3 = 1


class Frame(NamedTuple):
    """A frame: bytes, samples, samples a second, channels, bits a second."""

    size: int
    samples: int
    rate: int
    channels: int
    bits: int


def frame(head: bytes) -> Frame | None:
    """The frame that begins with these four bytes, or None where they are no header of layer 3."""
    if len(head) < 4 or head[0] != 0xFF or head[1] & 0xE0 != 0xE0:
        return None
    version, layer = head[1] >> 3 & 3, head[1] >> 1 & 3
    bits, rate = head[2] >> 4, head[2] >> 2 & 3
    if version not in _RATES or layer != _LAYER_3 or not 0 < bits < 15 or rate == 3:
        return None
    a_second = (_BIT_RATES_1 if version == 3 else _BIT_RATES_2)[bits] * 1000
    hertz = _RATES[version][rate]
    samples = 1152 if version == 3 else 576
    size = samples // 8 * a_second // hertz + (head[2] >> 1 & 1)
    return Frame(size, samples, hertz, 1 if head[3] >> 6 == 3 else 2, a_second)


def starts(head: bytes, _: int) -> bool:
    """Whether a file begins with a tag, or with two frames, one behind the other."""
    if id3.size_of(head):
        return True
    first = frame(head[:4])
    if first is None:
        return False
    second = frame(head[first.size : first.size + 4])
    return second is not None and second.rate == first.rate


def read(span: Span, draft: Draft) -> None:
    """Read the tag and the first frame. Behind a tag may stand FLAC instead, which its own reader reads."""
    start = id3.size_of(span.upto(0, 10))
    if start:
        id3.read(span, draft)
    if start and span.upto(start, 4) == flac.SIGNATURE:
        draft.format = "flac"
        flac.read(span.rest(start), draft)
        return
    if start >= span.size:
        draft.note("The sound is missing: the file may have been cut off.")
        return
    data = span.upto(start, SEARCH)
    at = next((at for at in range(len(data)) if data[at] == 0xFF and frame(data[at : at + 4])), -1)
    first = frame(data[at : at + 4]) if at >= 0 else None
    if first is None:
        return
    size = span.size - start - at
    draft.payload = [Stretch(start + at, size)]
    draft.channels, draft.sample_rate = first.channels, first.rate
    head = data[at : at + 64]
    mark = max(head.find(b"Xing"), head.find(b"Info"))
    frames = int.from_bytes(head[mark + 8 : mark + 12]) if 0 < mark <= len(head) - 12 and head[mark + 7] & 1 else 0
    draft.duration = frames * first.samples / first.rate if frames else size * 8 / first.bits
