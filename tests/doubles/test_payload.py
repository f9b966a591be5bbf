"""Payloads: the same whatever is said around them, in every format that is told apart; another when the picture is."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path

import pytest
from PIL import Image

from jutrek.demo import sound, stills
from jutrek.demo.copies import worded
from jutrek.demo.shelf import raws
from jutrek.demo.shelf.boxes import box, brand, full
from jutrek.demo.shelf.media import humming, moving
from jutrek.demo.stills import Shot
from jutrek.doubles.payload import ENDS, Payload
from jutrek.errors import SourceUnreadable, Stopped
from jutrek.formats import Kind, Reading, Stretch, read
from tests import making
from tests.making import WHEN, put

Make = Callable[[datetime, Image.Image], bytes]
LATER = WHEN + timedelta(days=400, hours=3)


def _shot(when: datetime) -> Shot:
    return Shot(when, "Arlen", "M2" if when == WHEN else "a rather longer name of a body", "A2-1")


def _meta(when: datetime) -> dict[str, str]:
    words = {"title": "the depot, seen from the yard " * (1 if when == WHEN else 9)}
    return {"creation_time": f"{when:%Y-%m-%dT%H:%M:%S}.000000Z", **words}


STILLS: dict[str, Make] = {
    "jpg": lambda when, one: stills.jpeg(one, _shot(when)),
    "dng": lambda when, one: stills.dng(one, _shot(when)),
    "cr2": lambda when, one: raws.cr2(_shot(when), one),
    "nef": lambda when, one: raws.nef(_shot(when), one),
    "raf": lambda when, one: raws.raf(_shot(when), one),
    "cr3": lambda when, one: raws.cr3(_shot(when), one),
    "heic": lambda when, one: raws.encoded(one, _shot(when), "HEIF"),
    "avif": lambda when, one: raws.encoded(one, _shot(when), "AVIF"),
    "png": lambda when, one: raws.encoded(one, _shot(when), "PNG"),
    "webp": lambda when, one: raws.encoded(one, _shot(when), "WEBP"),
}
ONE_SENSOR = frozenset({"cr2", "nef", "raf", "cr3"})
"""Stand-ins whose sensor data are the same whatever their preview shows."""
TIMED: dict[str, Callable[[datetime], bytes]] = {
    "mov": lambda when: moving("mov", "mpeg4", _meta(when)),
    "mkv": lambda when: moving("matroska", "mpeg4", _meta(when)),
    "webm": lambda when: moving("webm", "libvpx", _meta(when)),
    "wav": lambda when: sound.take(when, 0.2, 5, scene="Yard", number=when.day),
    "flac": lambda when: humming("flac", "flac", _meta(when)),
    "ogg": lambda when: humming("ogg", "vorbis", _meta(when), form="fltp"),
    "opus": lambda when: humming("opus", "libopus", _meta(when)),
    "mp3": lambda when: humming("mp3", "libmp3lame", _meta(when), form="s16p"),
}


def prints(path: Path) -> tuple[int, bytes, bytes]:
    """Size, mark and full fingerprint of a file's payload."""
    with Payload(str(path), read(str(path))) as payload:
        return payload.size, payload.mark(), payload.print()


def _both(folder: Path, name: str, one: bytes, other: bytes) -> tuple[tuple[int, bytes, bytes], ...]:
    assert one != other
    return tuple(prints(put(folder / f"{number}.{name}", data)) for number, data in enumerate((one, other)))


@pytest.mark.parametrize("name", STILLS)
def test_stills_are_the_same_with_other_metadata(name: str, tmp_path: Path) -> None:
    """And other ones with another picture, though all the rest be the same."""
    picture, other = (Image.effect_noise((96, 64), sigma).convert("RGB") for sigma in (40, 60))
    make = STILLS[name]
    one, same = _both(tmp_path, name, make(WHEN, picture), make(LATER, picture))
    assert one == same
    assert one[0] > 0
    if name not in ONE_SENSOR:
        assert prints(put(tmp_path / f"2.{name}", make(WHEN, other)))[1:] != one[1:]


@pytest.mark.parametrize("name", TIMED)
def test_clips_and_sounds_are_the_same_with_other_metadata(name: str, tmp_path: Path) -> None:
    """Also where what is said stands before, between or behind the packets."""
    one, same = _both(tmp_path, name, TIMED[name](WHEN), TIMED[name](LATER))
    assert one == same
    assert one[0] > 0


def test_words_and_rights_change_nothing(tmp_path: Path) -> None:
    """A segment more in a JPEG is no other picture."""
    plain = making.jpeg(seed=4)
    one, same = _both(tmp_path, "jpg", plain, worded(plain, ["bridge", "survey"], "Velmora Line Trust"))
    assert one == same


def _tiled(*tiles: bytes) -> bytes:
    """A HEIC whose picture is put together of tiles: the primary item is a grid in `idat`."""
    names = [b"hvc1"] * len(tiles) + [b"grid"]
    entries = [
        full(b"infe", number.to_bytes(2), b"\0\0", name, b"\0", version=2) for number, name in enumerate(names, 1)
    ]
    head = brand(b"heic", b"mif1")

    def meta(first: int) -> bytes:
        places, at = b"", first
        for number, tile in enumerate(tiles, 1):
            places += number.to_bytes(2) + b"\0\0\0\0\0\1" + at.to_bytes(4) + len(tile).to_bytes(4)
            at += len(tile)
        places += len(names).to_bytes(2) + b"\0\1\0\0\0\1" + bytes(4) + (8).to_bytes(4)
        return full(
            b"meta", full(b"pitm", len(names).to_bytes(2)),
            full(b"iinf", len(names).to_bytes(2), *entries),
            full(b"iloc", b"\x44\0", len(names).to_bytes(2), places, version=1),
            box(b"idat", b"\0\0\1\1\0\x60\0\x40"),
        )  # fmt: skip

    first = len(head) + len(meta(0)) + 8
    return head + meta(first) + box(b"mdat", *tiles)


def test_a_picture_of_tiles_is_its_tiles(tmp_path: Path) -> None:
    """Its primary item says how they are laid, which is the same in every picture of a phone."""
    one = prints(put(tmp_path / "a.heic", _tiled(b"first tile", b"second tile")))
    other = prints(put(tmp_path / "b.heic", _tiled(b"first tile", b"another one")))
    assert one[0] == len(b"first tilesecond tile")
    assert one != other


def test_what_is_no_media_has_no_payload(tmp_path: Path) -> None:
    """Nor has a file whose payload reaches beyond its end."""
    for name, data in (("a.xmp", making.xmp()), ("b.bin", b"no format"), ("c.ogg", humming("ogg", "vorbis", {})[:40])):
        path = put(tmp_path / name, data)
        with Payload(str(path), read(str(path))) as payload:
            assert payload.size == 0, name
    path = put(tmp_path / "d.wav", making.wav())
    reading = read(str(path))
    path.write_bytes(path.read_bytes()[:-500])
    with Payload(str(path), reading) as payload:
        assert payload.size == 0


def test_reading_ends_when_it_is_to_stop_and_says_when_it_cannot(tmp_path: Path) -> None:
    """A payload that shrinks while it is read is no payload."""
    path = put(tmp_path / "a.wav", making.wav())
    stop = threading.Event()
    stop.set()
    reading = read(str(path))
    with Payload(str(path), reading) as payload, pytest.raises(Stopped):
        payload.print(stop)
    with Payload(str(path), reading) as payload:
        os.truncate(path, 100)
        with pytest.raises(SourceUnreadable):
            payload.print()
    with pytest.raises(SourceUnreadable):
        Payload(str(tmp_path / "none"), reading)


def test_a_mark_is_of_size_head_and_tail(tmp_path: Path) -> None:
    """What lies between is left to the full fingerprint; of what is short there is nothing between."""
    size = 3 * ENDS
    marks = {}
    for name, at in (("same", None), ("head", 0), ("end of head", ENDS - 1), ("middle", ENDS), ("tail", 2 * ENDS)):
        data = bytearray(size)
        if at is not None:
            data[at] = 1
        path = put(tmp_path / name, bytes(data))
        for part in (size, ENDS // 2):
            reading = Reading(Kind.SOUND, "wav", payload=(Stretch(0, part),))
            with Payload(str(path), reading) as payload:
                marks[name, part] = payload.mark(), payload.print()
    whole = {name: marks[name, size][0] for name in ("same", "head", "end of head", "middle", "tail")}
    assert whole["middle"] == whole["same"]
    assert len(set(whole.values())) == 4
    assert len({full for (_, part), (_, full) in marks.items() if part == size}) == 5
    assert marks["head", ENDS // 2] != marks["same", ENDS // 2] == marks["tail", ENDS // 2]
    assert marks["same", size][0] != marks["same", ENDS // 2][0]


def test_a_payload_in_parts_is_the_same_as_in_one(tmp_path: Path) -> None:
    """However its parts lie in the file; one that reaches beyond its end has no payload."""
    data = os.urandom(4 * ENDS)
    for parts in ([(10, ENDS), (ENDS + 50, 2 * ENDS)], [(3 * ENDS, 9), (7, 1), (100, ENDS)], [(0, 3), (3, 2)]):
        joined = b"".join(data[offset : offset + size] for offset, size in parts)
        found = []
        for name, content, stretches in (("parted", data, parts), ("whole", joined, [(0, len(joined))])):
            reading = Reading(Kind.SOUND, "wav", payload=tuple(Stretch(*part) for part in stretches))
            with Payload(str(put(tmp_path / name, content)), reading) as payload:
                found.append((payload.size, payload.mark(), payload.print()))
        assert found[0] == found[1]
    beyond = Reading(Kind.SOUND, "wav", payload=(Stretch(0, 9), Stretch(4 * ENDS - 1, 2)))
    with Payload(str(tmp_path / "parted"), beyond) as payload:
        assert payload.size == 0
