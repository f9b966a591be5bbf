"""Every reader: the right claims from a good sample, and good manners with everything else."""

from __future__ import annotations

import os
import struct
import time
from datetime import datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jutrek.errors import SourceUnreadable
from jutrek.formats import Kind, read, span
from jutrek.formats.reading import Reading
from tests import making
from tests.making import WHEN, box, put

DAY = "2026-05-14T10:26:13"
EXIF = ("exif:original", f"{DAY}.42", "+02:00")
SAMPLES: dict[str, tuple[str, bytes, Kind, tuple[str, str, str | None], str]] = {
    "jpeg": ("a.jpg", making.jpeg(), Kind.STILL, EXIF, "Arlen M2"),
    "dng": ("a.dng", making.dng(), Kind.STILL, EXIF, "Arlen M2"),
    "tiff": ("a.tif", making.tiff(), Kind.STILL, ("exif:original", DAY, None), ""),
    "mp4": ("a.mp4", making.mp4(), Kind.CLIP, ("mp4:created", DAY, "Z"), ""),
    "mov": (
        "a.mov",
        making.mp4(
            WHEN - timedelta(hours=2),
            making.user_text(b"\xa9day", f"{DAY}+0200"),
            making.user_text(b"\xa9mak", "Hovar"),
            making.user_text(b"\xa9mod", "4K"),
            brand=b"qt  ",
        ),
        Kind.CLIP,
        ("qt:creationdate", DAY, "+02:00"),
        "Hovar 4K",
    ),
    "wav": ("a.wav", making.wav(), Kind.SOUND, ("bext", DAY, None), "Lyd R6"),
    "xmp": ("a.xmp", making.xmp(), Kind.SIDECAR, ("xmp:original", DAY, "+02:00"), ""),
}
each_sample = pytest.mark.parametrize("name", SAMPLES)


def claims_inside(reading: Reading) -> list[tuple[str, str, str | None]]:
    outside = {"name", "folder", "file"}
    return [
        (claim.at, claim.stamp.iso(), str(claim.stamp.offset) if claim.stamp.offset else None)
        for claim in reading.claims
        if claim.at not in outside
    ]


@each_sample
def test_a_sample_tells_its_kind_date_and_device(name: str, tmp_path: Path) -> None:
    """Each container's best claim comes out with its value, offset and device."""
    file, data, kind, claim, device = SAMPLES[name]
    reading = read(str(put(tmp_path / file, data)))
    assert (reading.kind, reading.format) == (kind, name)
    assert claim in claims_inside(reading)
    facts = reading.device
    assert (f"{facts.make} {facts.model}" if facts else "") == device
    assert not reading.notes


@each_sample
def test_a_wrong_extension_changes_nothing(name: str, tmp_path: Path) -> None:
    """Formats are told by content: a JPEG named .MOV is a JPEG."""
    file, data, *_ = SAMPLES[name]
    right = read(str(put(tmp_path / file, data)))
    for wrong in ("a.MOV", "a.txt", "a"):
        other = read(str(put(tmp_path / wrong, data)))
        assert (other.kind, other.format, other.claims[:-1]) == (right.kind, right.format, right.claims[:-1])


@each_sample
@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_a_file_cut_or_changed_anywhere_still_reads(name: str, tmp_path: Path, data: st.DataObject) -> None:
    """Damage costs the part behind it and raises nothing."""
    whole = bytearray(SAMPLES[name][1])
    for _ in range(data.draw(st.integers(0, 6))):
        whole[data.draw(st.integers(0, min(len(whole), 2000) - 1))] = data.draw(st.integers(0, 255))
    cut = whole[: data.draw(st.integers(0, len(whole)))]
    reading = read(str(put(tmp_path / SAMPLES[name][0], bytes(cut))))
    assert reading.claims[-1].at == "file"


def test_a_truncated_picture_says_so_and_keeps_its_date(tmp_path: Path) -> None:
    """Reading less is not failing: the date before the cut is still there."""
    reading = read(str(put(tmp_path / "a.jpg", making.jpeg()[:-40])))
    assert EXIF in claims_inside(reading)
    assert any("cut off" in note for note in reading.notes)


def loop_of_directories() -> bytes:
    return struct.pack("<2sHI", b"II", 42, 8) + struct.pack("<H", 0) + struct.pack("<I", 8)


def many_entries() -> bytes:
    return struct.pack("<2sHI", b"II", 42, 8) + struct.pack("<H", 65535) + bytes(65535 * 12)


def endless_pointers() -> bytes:
    entry = struct.pack("<HHII", 0x8769, 4, 1, 8)
    return struct.pack("<2sHI", b"II", 42, 8) + struct.pack("<H", 1) + entry + struct.pack("<I", 8)


def far_value() -> bytes:
    entry = struct.pack("<HHII", 0x0132, 2, 0xFFFFFFFF, 0xFFFFFFF0)
    return struct.pack("<2sHI", b"II", 42, 8) + struct.pack("<H", 1) + entry + bytes(4)


def huge_box() -> bytes:
    return box(b"ftyp", b"isom", bytes(4)) + struct.pack(">I4sQ", 1, b"moov", 2**64 - 1)


def nested_boxes() -> bytes:
    data = b""
    for _ in range(5000):
        data = box(b"moov", data)
    return data


def huge_chunk() -> bytes:
    return b"RIFF\xff\xff\xff\xffWAVEbext" + struct.pack("<I", 0xFFFFFFFF) + bytes(100)


def entities() -> bytes:
    return b'<?xpacket?><!DOCTYPE x [<!ENTITY a "aaaaaaaaaa">]><x:xmpmeta xmlns:x="adobe:ns:meta/">&a;</x:xmpmeta>'


HOSTILE = (
    loop_of_directories, many_entries, endless_pointers, far_value, huge_box, nested_boxes, huge_chunk, entities,
    lambda: b"\xff\xd8\xff\xe1\xff\xff" + b"Exif\0\0" + loop_of_directories(),
    lambda: b"\xff\xd8" + b"\xff\xe1\x00\x02" * 20_000,
    lambda: b"",
    lambda: b"\0",
    lambda: b"\xff" * 70_000,
)  # fmt: skip


@pytest.mark.parametrize("make", HOSTILE)
def test_hostile_bytes_cost_little_and_raise_nothing(make: object, tmp_path: Path) -> None:
    """Loops, lengths of 2**64-1, nesting and entities are met with a shrug, soon."""
    path = str(put(tmp_path / "a.jpg", make()))
    began = time.process_time()
    reading = read(path)
    assert time.process_time() - began < 1.0
    assert [claim.at for claim in reading.claims] == ["file"]


def test_reading_a_long_clip_touches_little_of_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A clip of 4 GB with its header at the end costs under 1 MB of reading."""
    path = tmp_path / "long.mp4"
    with path.open("wb") as file:
        file.write(box(b"ftyp", b"isom", bytes(4)) + struct.pack(">I4sQ", 1, b"mdat", 4_000_000_016))
        file.seek(4_000_000_000, os.SEEK_CUR)
        file.write(box(b"moov", making.movie_header(making.since_1904(WHEN))))
    opened: list[span.FileBytes] = []
    make = span.FileBytes.__init__
    monkeypatch.setattr(span.FileBytes, "__init__", lambda self, *a: (opened.append(self), make(self, *a))[1])
    assert claims_inside(read(str(path))) == [("mp4:created", DAY, "Z")]
    assert opened[0].cost < 1_000_000


def test_a_header_counted_from_1970_is_taken_and_told(tmp_path: Path) -> None:
    """A movie time too small to be counted from 1904 after 1970 is counted from 1970."""
    seconds = int((WHEN - datetime(1970, 1, 1)).total_seconds())
    data = box(b"ftyp", b"isom", bytes(4)) + box(b"moov", making.movie_header(seconds, version=1))
    reading = read(str(put(tmp_path / "a.mp4", data)))
    assert claims_inside(reading) == [("mp4:created", DAY, "Z")]
    assert "1970" in reading.notes[0]


def test_a_movie_without_header_and_a_blank_date_make_no_claim(tmp_path: Path) -> None:
    """A recording that was never closed says so; zero is no date."""
    unclosed = read(str(put(tmp_path / "a.mp4", box(b"ftyp", b"isom", bytes(4)) + box(b"mdat", bytes(9)))))
    assert "not have been closed" in unclosed.notes[0]
    blank = read(str(put(tmp_path / "b.mp4", box(b"moov", making.movie_header(0)))))
    assert not claims_inside(blank)


def test_key_lists_are_read(tmp_path: Path) -> None:
    """QuickTime metadata with a key list gives date, device and position."""
    texts = {"creationdate": f"{DAY}+0200", "make": "Skarv", "model": "P4", "location.ISO6709": "+46.5-007.25/"}
    keys = b"".join(box(b"mdta", f"com.example.quicktime.{key}".encode()) for key in texts)
    items = b"".join(
        struct.pack(">I", 8 + 16 + len(text)) + struct.pack(">I", number + 1) + box(b"data", bytes(8), text.encode())
        for number, text in enumerate(texts.values())
    )
    meta = box(b"meta", box(b"hdlr", bytes(8), b"mdta", bytes(13)), box(b"keys", bytes(8), keys), box(b"ilst", items))
    reading = read(str(put(tmp_path / "a.mov", box(b"moov", meta))))
    assert claims_inside(reading) == [("qt:creationdate", DAY, "+02:00")]
    assert reading.device is not None
    assert (reading.device.make, reading.device.model) == ("Skarv", "P4")
    assert reading.position == (46.5, -7.25)


def test_a_take_whose_clock_text_is_blank_is_timed_by_its_sample_count(tmp_path: Path) -> None:
    """`bext` has a second witness of the time of day: samples since midnight."""
    data = making.wav().replace(b"10:26:13", b"        ")
    reading = read(str(put(tmp_path / "a.wav", data)))
    assert claims_inside(reading) == [("bext", DAY, None)]
    assert "sample count" in reading.notes[0]


def test_what_is_known_by_sight_is_not_passed_off_as_read(tmp_path: Path) -> None:
    """A container whose dates are not read yet has its kind, and says what is missing."""
    reading = read(str(put(tmp_path / "IMG_20260514_102613.png", b"\x89PNG\r\n\x1a\n" + bytes(40))))
    assert (reading.kind, reading.format) == (Kind.STILL, "png")
    assert [claim.at for claim in reading.claims] == ["name", "file"]
    assert "does not read dates inside png" in reading.notes[0]


@pytest.mark.parametrize("kind", ["fifo", "link", "folder", "missing"])
def test_what_is_no_file_is_refused_at_once(kind: str, tmp_path: Path) -> None:
    """A FIFO does not block, a link is not followed."""
    path = tmp_path / "thing"
    if kind == "fifo":
        os.mkfifo(path)
    elif kind == "link":
        path.symlink_to(put(tmp_path / "a.jpg", making.jpeg()))
    elif kind == "folder":
        path.mkdir()
    with pytest.raises(SourceUnreadable):
        read(str(path))
