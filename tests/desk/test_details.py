"""Up close without a window: pictures of every kind, and everything known of a capture in words."""

from __future__ import annotations

import io
import struct
from datetime import timedelta
from pathlib import Path

import pytest
from PIL import Image

from jutrek.captures import Capture, Device
from jutrek.demo.shelf import specimens
from jutrek.demo.stills import Shot, main_directory
from jutrek.demo.tags import Blob, build, long, short
from jutrek.desk.board_captures import CaptureView, State
from jutrek.desk.board_views import views_of
from jutrek.desk.details import details_of, distance_words, exposure_words, position_words
from jutrek.desk.intake import make_captures, read_source
from jutrek.desk.pictures import ClipFrames, large_picture, small_picture
from jutrek.desk.story import Story
from jutrek.errors import SourceUnreadable
from jutrek.formats import Exposure, Precision, read
from jutrek.sources import known_source
from tests import making
from tests.making import WHEN, put

NO_PICTURE = frozenset({"picture.jxl", "packed.jxl", "body.orf", "body.mrw", "large scan.tif"})
"""Stills in which there is no picture that can be shown."""


def captures_of(folder: Path) -> list[Capture]:
    """Captures of a folder, read and dated."""
    return make_captures([read_source(known_source(str(folder)), None, stop=making.never(), report=lambda *_: None)])


def view_of(path: Path) -> CaptureView:
    """A file as the board shows it."""
    reading = read(str(path))
    device = Device("d", "device", "D", 0)
    return CaptureView(
        str(path), str(path.parent), path.name, State.BRING, "", (), device, reading.kind, None, "",
        reading.duration, 0, (), reading.format, reading.orientation, reading.previews,
    )  # fmt: skip


@pytest.mark.parametrize("name", sorted(specimens()))
def test_every_format_gives_its_picture_or_none(name: str, tmp_path: Path) -> None:
    """Decoders and embedded previews for stills, frames for clips, a waveform for sound."""
    path = put(tmp_path / name, specimens()[name])
    view = view_of(path)
    small = small_picture(view, (84, 56))
    if view.kind == "clip":
        assert large_picture(view, (300, 200)) is None
        # Clips made byte by byte have headers and no pictures.
        assert small is None or (small.width, small.height) == (84, 56)
        return
    large = large_picture(view, (300, 200))
    assert (large is None) is (small is None) is (name in NO_PICTURE or view.kind == "sidecar")
    if small is not None and large is not None:
        assert (small.width, small.height, len(small.rgb)) == (84, 56, 84 * 56 * 3)
        assert large.width <= 300
        assert large.height <= 200
        assert len(set(large.rgb)) > 1
    assert small_picture(view_of(put(tmp_path / "broken", path.read_bytes()[:60])), (84, 56)) is None


def test_frames_of_a_clip_by_their_time(tmp_path: Path) -> None:
    """Another share of the length is another frame; a newer wish is content with the frame at hand."""
    path = put(tmp_path / "a.mov", specimens()["encoded.mov"])
    frames = ClipFrames(str(path), (80, 48))
    try:
        assert frames.seconds == pytest.approx(0.5, abs=0.1)
        first, last = frames.at(0.0, lambda: False), frames.at(0.9, lambda: False)
        assert first is not None
        assert last is not None
        assert (first.width, first.height) == (80, 48)
        assert first.rgb != last.rgb
        assert frames.at(0.9, lambda: True) == first
    finally:
        frames.close()
    with pytest.raises(SourceUnreadable):
        ClipFrames(str(tmp_path / "gone.mov"), (80, 48))


def test_a_clip_held_upright_is_shown_upright(tmp_path: Path) -> None:
    """The track's matrix turns it a quarter to the right: what was at the left is on top."""
    data = specimens()["encoded.mp4"]
    plain = struct.pack(">9I", 1 << 16, 0, 0, 0, 1 << 16, 0, 0, 0, 1 << 30)
    turned = struct.pack(">4IiI3I", 0, 1 << 16, 0, (1 << 32) - (1 << 16), 0, 0, 0, 0, 1 << 30)
    at = data.index(plain, data.index(b"tkhd"))
    path = put(tmp_path / "a.mp4", data[:at] + turned + data[at + len(plain) :])
    frames = ClipFrames(str(path), (400, 400))
    try:
        picture = frames.at(0.0, lambda: False)
    finally:
        frames.close()
    assert picture is not None
    assert picture.width < picture.height
    # The specimen goes from black at the left to white at the right.
    image = Image.frombytes("RGB", (picture.width, picture.height), picture.rgb).convert("L")
    middle = picture.width // 2
    top, bottom = image.getpixel((middle, picture.height // 8)), image.getpixel((middle, picture.height * 7 // 8))
    assert isinstance(top, int)
    assert isinstance(bottom, int)
    assert top + 100 < bottom


def test_a_long_sound_is_looked_at_in_places(tmp_path: Path) -> None:
    """Two minutes of a take that grows louder: its waveform grows too, and is there soon."""
    rate, seconds = 8000, 120
    data = b"".join(
        struct.pack("<h", (second * 250 if number % 2 else -second * 250))
        for second in range(seconds)
        for number in range(rate)
    )
    form = struct.pack("<HHIIHH", 1, 1, rate, rate * 2, 2, 16)
    whole = b"RIFF" + struct.pack("<I", len(data) + 36) + b"WAVE" + b"fmt \x10\0\0\0" + form
    path = put(tmp_path / "a.wav", whole + b"data" + struct.pack("<I", len(data)) + data)
    picture = large_picture(view_of(path), (240, 60))
    assert picture is not None
    image = Image.frombytes("RGB", (picture.width, picture.height), picture.rgb).convert("L")
    inked = [sum(image.getpixel((x, y)) < 180 for y in range(60)) for x in range(0, 240, 3)]  # type: ignore[operator]
    assert inked[5] < inked[40] < inked[75]


def test_a_raw_held_upright_is_shown_upright(tmp_path: Path) -> None:
    """The preview inside a raw does not say which way is up; the raw does."""
    out = io.BytesIO()
    Image.new("RGB", (60, 40)).save(out, "JPEG")
    preview = {0x0103: short(6), 0x0201: Blob(out.getvalue()), 0x0202: long(len(out.getvalue()))}
    main = main_directory(Shot(WHEN, "Arlen", "M2", "")) | {0x0112: short(6), 0x014A: [preview]}
    picture = large_picture(view_of(put(tmp_path / "a.nef", build([main]))), (400, 400))
    assert picture is not None
    assert picture.width < picture.height


def test_everything_known_is_told_in_words(card: Path) -> None:
    """Claims with their places and distances, the chosen one marked, companions by name, facts, notes."""
    put(card / "A.DNG", making.dng())
    put(card / "A.DNG.xmp", making.xmp("2026-05-14T12:26:13+02:00"), WHEN + timedelta(days=3))
    (capture,) = captures_of(card)
    view = details_of(capture)
    chosen = [line for line in view.claims if line.chosen]
    assert [(line.where, line.value) for line in chosen] == [
        ("The camera's time of shooting", "2026-05-14 10:26:13.42 +02:00")
    ]
    beside = {line.where: line.distance for line in view.claims}
    assert beside["The time of shooting in the XMP data, in A.DNG.xmp"] == "2 h later"
    facts = dict(view.facts)
    assert facts["Device"] == "Arlen M2 · No. A2-1"
    assert facts["Exposure"] == "1/640 s · f/5.6 · ISO 200 · 35 mm"
    assert facts["Zone"] == "+02:00 from UTC"
    assert [words.split(" · ")[1] for label, words in view.facts if label == "File"] == ["dng", "xmp"]
    assert view.trusted


def test_a_contradiction_is_shown_with_both_claims(card: Path) -> None:
    """The claim that speaks against the chosen one is marked."""
    exif = build([main_directory(Shot(WHEN, "Arlen", "M2", ""))])
    body = b"http://ns.adobe.com/xap/1.0/\0" + making.xmp("2025-01-03")
    plain = making.jpeg(None)
    segments = b"".join(b"\xff\xe1" + struct.pack(">H", len(data) + 2) + data for data in (b"Exif\0\0" + exif, body))
    put(card / "A.JPG", plain[:2] + segments + plain[2:])
    (capture,) = captures_of(card)
    view = details_of(capture)
    assert not view.trusted
    assert [line.value for line in view.claims if line.against] == ["2025-01-03"]
    assert "disagree" in view.why


@pytest.mark.parametrize(
    ("starts", "ends", "precision", "words"),
    [
        (0.4, 0.4, Precision.SECOND, "the same"), (7200, 7200, Precision.SECOND, "2 h later"),
        (-5400, -5400, Precision.SECOND, "1.5 h earlier"), (61, 61, Precision.SECOND, "1 min later"),
        (-86_400, -86_400, Precision.SECOND, "1 day earlier"), (3e8, 3e8, Precision.SECOND, "10 years later"),
        (-37_000, 49_400, Precision.DAY, "the same day"), (-9e6, 2e7, Precision.YEAR, "the same year"),
        (-190_000, -103_600, Precision.DAY, "1 day earlier"), (2.7e6, 2.7e6, Precision.SECOND, "1 month later"),
    ],
)  # fmt: skip
def test_distances_as_people_say_them(starts: float, ends: float, precision: Precision, words: str) -> None:
    """In the largest unit that fits, and the same day or year where no more is known."""
    assert distance_words(starts, ends, precision) == words


def test_exposure_and_position_as_far_as_known() -> None:
    """Nothing is made up for what is not there."""
    assert exposure_words(None) == position_words(None) == ""
    assert exposure_words(Exposure(seconds=2.5)) == "2.5 s"
    assert exposure_words(Exposure(speed=800, focal_length=23.0)) == "ISO 800 · 23 mm"
    assert position_words((-39.42, 5.31)) == "39.4200° S, 5.3100° E"


def test_the_board_carries_what_pictures_need(card: Path) -> None:
    """Format, orientation and previews go along, so that no file is read twice."""
    put(card / "A.NEF", specimens()["body.nef"])
    (capture,) = captures_of(card)
    devices = {capture.device: Device(capture.device, "Arlen M2", "A", 0)}
    view = views_of(Story((capture,), devices), None, {})[capture.id]
    assert (view.format, len(view.previews)) == ("nef", 1)
