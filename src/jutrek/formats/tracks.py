"""Tracks of MP4 and kin: size, frame rate, sound, timecode, telemetry, and their own creation times.

Follows ISO/IEC 14496-12 (`tkhd` 8.3.2, `mdhd` 8.4.2, `hdlr` 8.4.3, `stsd` 8.5.2, `stts` 8.6.1, `stsz` 8.7.3, `stco`
8.7.5) and the QuickTime File Format Specification (timecode media, `tmcd` sample description).
"""

from __future__ import annotations

import struct
from datetime import datetime
from typing import NamedTuple

from jutrek.formats import telemetry
from jutrek.formats.boxes import U32, U64, boxes, child
from jutrek.formats.draft import Draft
from jutrek.formats.reading import UTC_BY_DEFINITION, Timestamp
from jutrek.formats.span import Span
from jutrek.formats.timestamps import since

_SIZE = struct.Struct(">II")
_SOUND = struct.Struct(">HHHHI")
_ORIENTATIONS = {
    struct.pack(">iiiii", a << 16, b << 16, 0, c << 16, d << 16): value
    for value, (a, b, c, d) in {3: (-1, 0, 0, -1), 6: (0, 1, -1, 0), 8: (0, -1, 1, 0)}.items()
}
"""How a track is turned, by the first values of its matrix (8.3.2), as Exif counts."""
_TIMECODE = struct.Struct(">IIIIB")
_PAIR = struct.Struct(">II")
_DROP_FRAMES = 1
_FROM_1904, _FROM_1970 = datetime(1904, 1, 1), datetime(1970, 1, 1)
_YEARS_1904_TO_1970 = 2_082_844_800
MAX_TELEMETRY = 64 * 1024


class Media(NamedTuple):
    """A track's media header: seconds since 1904, ticks a second, length in ticks."""

    created: int
    scale: int
    length: int


def read_track(part: Span, movie: Span, draft: Draft) -> None:
    """Read one track; `movie` is the box that it stands in."""
    media = child(part, b"mdia")
    if media is None:
        return
    header, handler, table = child(media, b"mdhd"), child(media, b"hdlr"), child(media, b"minf", b"stbl")
    if header is None or handler is None or table is None:
        return
    facts = _media(header)
    kind = handler.upto(8, 4)
    if kind == b"vide":
        _picture(part, table, facts, draft)
        _track_time(facts, draft)
    elif kind == b"soun":
        _sound(table, draft)
        _track_time(facts, draft)
    elif kind == b"tmcd":
        with draft.sparing("The timecode is"):
            _timecode(table, movie, draft)
    elif kind == b"meta":
        _telemetry(table, draft)


def movie_time(seconds: int, draft: Draft, at: str, where: str) -> None:
    """A claim from seconds since 1904 in UTC. A number too small for a date after 1970 is counted from 1970.

    Args:
        seconds: as stored.
        draft: takes the claim.
        at: the kind of claim.
        where: it stands, in words.
    """
    if not seconds:
        return
    if seconds >= _YEARS_1904_TO_1970:
        draft.claim(at, since(_FROM_1904, seconds), where, str(seconds))
        return
    stamp = since(_FROM_1970, seconds)
    if stamp is not None and stamp.wall.year > 1990:
        mended = "it is counted from 1970 instead of 1904"
        draft.claim(at, Timestamp(stamp.wall, stamp.precision, UTC_BY_DEFINITION, mended), where, str(seconds))


def _media(header: Span) -> Media:
    if header.read(0, 1)[0] == 1:
        return Media(header.unpack(U64, 4)[0], header.unpack(U32, 20)[0], header.unpack(U64, 24)[0])
    return Media(header.unpack(U32, 4)[0], header.unpack(U32, 12)[0], header.unpack(U32, 16)[0])


def _track_time(facts: Media, draft: Draft) -> None:
    """The track's own time counts only where the movie header's is not set."""
    if not any(claim.at in ("mp4:created", "mp4:track") for claim in draft.claims):
        movie_time(facts.created, draft, "mp4:track", "the clip's picture or sound track")


def _picture(part: Span, table: Span, facts: Media, draft: Draft) -> None:
    header = child(part, b"tkhd")
    if header is not None:
        at = 88 if header.read(0, 1)[0] == 1 else 76
        width, height = header.unpack(_SIZE, at)
        draft.width, draft.height = max(draft.width, width >> 16), max(draft.height, height >> 16)
        draft.orientation = _ORIENTATIONS.get(header.read(at - 36, 20), draft.orientation)
    times = child(table, b"stts")
    if times is not None and facts.scale and times.unpack(U32, 4)[0]:
        frames, ticks = times.unpack(_PAIR, 8)
        if ticks and frames > 1 and not draft.frame_rate:
            draft.frame_rate = round(facts.scale / ticks, 3)
    if facts.scale and not draft.duration:
        draft.duration = facts.length / facts.scale


def _sound(table: Span, draft: Draft) -> None:
    """An audio sample entry: channels at 16 and the rate, 16.16 fixed, at 24 behind its box header."""
    entry = _entry(table)
    if entry is None or draft.channels:
        return
    channels, _, _, _, rate = entry[1].unpack(_SOUND, 16)
    draft.channels, draft.sample_rate = channels, rate >> 16


def _entry(table: Span) -> tuple[bytes, Span] | None:
    """The first sample description."""
    described = child(table, b"stsd")
    return next(boxes(described, 8), None) if described is not None else None


def _first_sample(table: Span, whole: Span) -> Span | None:
    """The first sample of a track, within the whole file."""
    narrow, wide = child(table, b"stco"), child(table, b"co64")
    sizes = child(table, b"stsz")
    if sizes is None or (narrow is None and wide is None):
        return None
    size = sizes.unpack(U32, 4)[0] or sizes.unpack(U32, 12)[0]
    at = narrow.unpack(U32, 8)[0] if narrow is not None else wide.unpack(U64, 8)[0] if wide is not None else 0
    return whole.file_part(at, size)


def _timecode(table: Span, movie: Span, draft: Draft) -> None:
    """The first sample counts frames since midnight; the description says how many make a second."""
    entry, sample = _entry(table), _first_sample(table, movie)
    if entry is None or sample is None or entry[0] != b"tmcd" or draft.timecode:
        return
    _, flags, _, _, rate = entry[1].unpack(_TIMECODE, 8)
    draft.timecode = timecode_words(sample.unpack(U32, 0)[0], rate, drops=bool(flags & _DROP_FRAMES))


def timecode_words(frames: int, rate: int, *, drops: bool) -> str:
    """A count of frames as `HH:MM:SS:FF`, or `HH:MM:SS;FF` where numbers are dropped (SMPTE ST 12-1)."""
    if not rate:
        return ""
    if drops and rate in (30, 60):
        skipped = rate // 15
        tens, rest = divmod(frames, rate * 600 - 9 * skipped)
        more = (rest - skipped) // (rate * 60 - skipped) if rest > skipped else 0
        frames += 9 * skipped * tens + skipped * more
    seconds, frame = divmod(frames, rate)
    mark = ";" if drops else ":"
    return f"{seconds // 3600 % 24:02}:{seconds // 60 % 60:02}:{seconds % 60:02}{mark}{frame:02}"


def _telemetry(table: Span, draft: Draft) -> None:
    """An action camera's telemetry track: satellite time stands in its first sample."""
    entry = _entry(table)
    if entry is None or entry[0] != b"gpmd":
        return
    with draft.sparing("The telemetry is"):
        sample = _first_sample(table, table)
        if sample is not None:
            telemetry.read(sample.part(0, min(sample.size, MAX_TELEMETRY)), draft)
