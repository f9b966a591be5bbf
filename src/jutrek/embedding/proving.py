"""The proof that a file in which only a packet changed is the same picture, clip or sound to whoever reads it.

That nothing but the packet changed is told by its fingerprint (`transfer.amending`). Here it is read: by our own
readers, which must find the same in it and the picture itself where it is to be; and by a second decoder that knows
nothing of us (Pillow, FFmpeg through PyAV), which must show the same.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from jutrek.decoding import opened, shown, still, turned_so
from jutrek.errors import FileTrouble, SourceUnreadable
from jutrek.formats import Kind, Reading, Stretch, read_without
from jutrek.formats.splices import Splice, grown

_SEEN_AT = (512, 512)
"""Pixels from which on a picture is decoded: JPEG is by its frequencies, of all of which each pixel is made."""
_PACKETS = 24
"""Packets of a clip or sound that are compared."""


def other_than(
    old: str, new: str, splices: Sequence[Splice], before: Stretch | None, after: Stretch | None, turned: int = 0
) -> str:
    """Why a file is not what another one was; empty where it is the same but for its packet, or which way is up.

    Args:
        old, new: their paths.
        splices: what was replaced in the old one.
        before, after: where in each the packet stands.
        turned: the orientation that the new one says, where the old one said none; 0 where it says the same.
    """
    try:
        was, now = read_without(old, before), read_without(new, after)
    except SourceUnreadable as error:
        return str(error)
    if _facts(was)._replace(orientation=turned or was.orientation) != _facts(now):
        return "It would not be read as before."
    if [_moved(one, splices) for one in (*was.payload, *was.previews)] != [*now.payload, *now.previews]:
        return "Its picture, clip or sound would stand elsewhere than its parts tell."
    try:
        if was.kind is Kind.STILL:
            same = _looks(old, was, turned) == _looks(new, now, shows=turned)
        else:
            same = _plays(old) == _plays(new)
    except FileTrouble as error:
        return str(error)
    # Decoders raise whatever they like: what can't be shown can't be compared.
    except Exception:  # noqa: BLE001
        return "No other decoder can show it, so nothing proves that it would be the same."
    return "" if same else "Another decoder would not show the same."


def _facts(told: Reading) -> Reading:
    """What must be the same: all that is read of it, but for where that stands."""
    notes = tuple(one for one in told.notes if not one.startswith("The XMP data"))
    return told._replace(payload=(), previews=(), orientation_at=(), motion=None, packet=None, notes=notes)


def _moved(part: Stretch, splices: Sequence[Splice]) -> Stretch:
    """Where a stretch that no splice touches stands afterwards."""
    return Stretch(part.offset + grown([one for one in splices if one.end <= part.offset]), part.size)


def _looks(path: str, reading: Reading, turn: int = 0, shows: int = 0) -> tuple[Any, ...]:
    """What another decoder shows of a picture, turned so; and its Exif, unless that is to be another."""
    with opened(path) as file:
        picture = still(file, shown(path, reading), None, _SEEN_AT)
        exif = b"" if turn or shows else picture.info.get("exif", b"")
        return turned_so(picture, turn).tobytes(), picture.info.get("icc_profile"), exif


def _plays(path: str) -> list[tuple[Any, ...]]:
    """What another decoder tells of a clip or sound: its streams, and the first packets of them."""
    import av

    with opened(path) as file, av.open(file, "r", metadata_errors="ignore") as container:
        streams = [
            (one.type, one.codec_context.name, one.time_base, one.duration, one.frames, one.codec_context.extradata)
            for one in container.streams
            if one.codec_context is not None
        ]  # fmt: skip
        return [*streams, *_packets(container)]


def _packets(container: Any) -> Iterator[tuple[Any, ...]]:
    for number, packet in enumerate(container.demux()):
        if number == _PACKETS:
            return
        yield packet.stream_index, packet.pts, packet.dts, packet.size, bytes(packet)
