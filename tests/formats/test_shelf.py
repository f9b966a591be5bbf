"""The shelf: one file of each format, and what each is to tell."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jutrek.demo.shelf import specimens
from jutrek.formats import STUMBLED, Kind, Reading, read
from jutrek.formats.table import FORMATS
from tests.making import claims_inside, put

DAY = "2026-05-14T10:26:13"
UTC = "2026-05-14T08:26:13"
BODY, PHONE, VIDEO, RECORDER = "Arlen M2 A2-10442", "Skarv P4 P4-77120", "Hovar 4K", "Lyd R6 R6-0417"
SHOT = ("exif:original", f"{DAY}.42", "+02:00")
CREATED = ("mp4:created", UTC, "Z")

# Name: format, claim that must be among those inside, device, size in pixels, length in seconds.
STILLS = {
    "body.jpg": ("jpeg", SHOT, BODY, (96, 64)),
    "two pictures.jpg": ("jpeg", SHOT, BODY, (96, 64)),
    "moving still.jpg": ("jpeg", SHOT, PHONE, (96, 64)),
    "scan.tif": ("tiff", SHOT, BODY, (64, 32)),
    "large scan.tif": ("tiff", SHOT, BODY, (64, 32)),
    "body.dng": ("dng", SHOT, BODY, (32, 21)),
    "body.cr2": ("cr2", SHOT, BODY, (64, 16)),
    "body.nef": ("nef", SHOT, BODY, (64, 16)),
    "body.raw": ("raw", SHOT, BODY, (64, 16)),
    "body.orf": ("orf", SHOT, BODY, (64, 16)),
    "body.rw2": ("rw2", SHOT, BODY, (64, 16)),
    "body.raf": ("raf", SHOT, BODY, (64, 16)),
    "body.cr3": ("cr3", SHOT, PHONE, (64, 16)),
    "body.mrw": ("mrw", SHOT, BODY, (64, 16)),
    "body.x3f": ("x3f", ("x3f", DAY, None), BODY, (64, 16)),
    "phone.heic": ("heic", ("exif:original", f"{DAY}.42", None), PHONE, (96, 64)),
    "general.heif": ("heif", ("exif:original", f"{DAY}.42", None), PHONE, (96, 64)),
    "picture.avif": ("avif", SHOT, BODY, (96, 64)),
    "picture.png": ("png", SHOT, BODY, (96, 64)),
    "picture.webp": ("webp", SHOT, BODY, (96, 64)),
    "picture.jxl": ("jxl", SHOT, BODY, (64, 48)),
    "packed.jxl": ("jxl", SHOT, BODY, (64, 48)),
    "drawing.gif": ("gif", None, "", (96, 64)),
}
CLIPS = {
    "encoded.mov": ("mov", ("qt:creationdate", DAY, "+02:00"), VIDEO, 0.5),
    "encoded.mp4": ("mp4", CREATED, "", 0.48),
    "phone.mov": ("mov", ("qt:creationdate", DAY, "+02:00"), "Skarv P4", 4.0),
    "pocket camera.3gp": ("3gp", ("qt:creationdate", DAY, "+02:00"), VIDEO, 4.0),
    "pocket player.m4v": ("m4v", CREATED, "", 4.0),
    "camera.mp4": ("mp4", ("clipdata", DAY, "+02:00"), "Hovar 4K H4-0091", 4.0),
    "maker.mp4": ("mp4", SHOT, BODY, 4.0),
    "action.mp4": ("mp4", ("gps", UTC, "Z"), "Skarv Dash SD-0042", 4.0),
    "packed header.mov": ("mov", ("qt:creationdate", DAY, "+02:00"), "", 4.0),
    "fragments.mp4": ("mp4", ("mp4:produced", UTC, "Z"), "", 9.0),
    "timecode.mov": ("mov", CREATED, "", 4.0),
    "compact.avi": ("avi", ("idit", DAY, None), BODY, 4.0),
    "camcorder.mts": ("mpeg-ts", ("mdpm", DAY, "+02:00"), "", 9.0),
    "stream.ts": ("mpeg-ts", ("mdpm", DAY, None), "", 9.0),
    "disc.mpg": ("mpeg-ps", ("moi", f"{DAY}.42", None), "", 0.5),
    "studio.mxf": ("mxf", ("mxf:created", UTC, "Z"), "Hovar 4K H4-0091", 0.48),
    "packed.mkv": ("matroska", ("mkv:recorded", DAY, None), "", 0.48),
    "web.webm": ("webm", ("mkv:created", UTC, "Z"), "", 0.48),
    "tape.dv": ("dv", ("dv", DAY, None), "", 0.04),
    "old.wmv": ("asf", ("asf:created", UTC, "Z"), "", 0.48),
}
SOUNDS = {
    "take.wav": ("wav", ("bext", DAY, None), RECORDER, 0.2),
    "long take.wav": ("wav", ("bext", DAY, None), "Lyd R6-000000417", 0.1),
    "take.aif": ("aiff", ("id3:recorded", DAY[:16], None), "", 0.5),
    "take.flac": ("flac", ("bext", DAY, None), "Lyd R6-000000417", 0.5),
    "take.ogg": ("ogg", ("vorbis:date", DAY, None), "", 0.5),
    "take.opus": ("opus", ("vorbis:date", DAY, None), "", 0.5),
    "take.mp3": ("mp3", ("id3:recorded", DAY, None), "", 0.528),
    "memo.m4a": ("m4a", CREATED, "", 0.5),
    "memo.caf": ("caf", ("caf:recorded", DAY, None), "", 0.5),
}
BESIDE = {
    "disc.moi": ("moi", ("moi", f"{DAY}.42", None), "", 0.48),
    "studioM01.XML": ("clipdata", ("clipdata", DAY, "+02:00"), "Hovar 4K H4-0091", 0.0),
    "drone.srt": ("srt", ("srt", f"{DAY}.42", None), "", 2.0),
    "edit.aae": ("aae", ("aae:changed", UTC, "+00:00"), "", 0.0),
    "edit.xmp": ("xmp", ("xmp:original", DAY, "+02:00"), "", 0.0),
}
KINDS = {Kind.STILL: STILLS, Kind.CLIP: CLIPS, Kind.SOUND: SOUNDS, Kind.SIDECAR: BESIDE}
EXPECTED = [(name, kind, *row) for kind, rows in KINDS.items() for name, row in rows.items()]


@pytest.fixture(scope="session")
def shelf(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with every specimen."""
    folder = tmp_path_factory.mktemp("shelf")
    for name, data in specimens().items():
        put(folder / name, data)
    return folder


def device_words(reading: Reading) -> str:
    facts = reading.device
    return " ".join(part for part in (facts.make, facts.model, facts.serial) if part) if facts else ""


def test_every_specimen_has_its_row(shelf: Path) -> None:
    """A format that comes to the shelf is tested here, and each one of the table is on it."""
    assert {path.name for path in shelf.iterdir()} == {name for name, *_ in EXPECTED}
    told = {form: (kind, Path(name).suffix.lower()) for name, kind, form, *_ in EXPECTED}
    assert told.keys() == {row.name for row in FORMATS.values() if row.kind is not Kind.OTHER and not row.by_name} | {
        "nef",
        "cr2",
    }
    for form, (kind, suffix) in told.items():
        assert FORMATS[form].kind is kind
        assert suffix in FORMATS[form].suffixes or form == "raw"


@pytest.mark.parametrize("name", sorted(row.name for row in FORMATS.values() if row.by_name and row.name != "cr2"))
def test_raws_that_nothing_else_tells_apart_are_told_by_name(name: str, tmp_path: Path) -> None:
    """The one place where the extension counts; a maker that writes one format alone is believed before it."""
    unknown = specimens()["body.nef"]
    assert read(str(put(tmp_path / f"a.{name.upper()}", unknown))).format == name
    known = unknown.replace(b"Arlen", b"NIKON")
    assert read(str(put(tmp_path / f"b.{name}", known))).format == "nef"


@pytest.mark.parametrize(
    ("name", "kind", "form", "claim", "device", "extent"), EXPECTED, ids=[row[0] for row in EXPECTED]
)
def test_a_specimen_tells_its_date_and_device(
    name: str,
    kind: Kind,
    form: str,
    claim: tuple[str, str, str | None] | None,
    device: str,
    extent: object,
    shelf: Path,
) -> None:
    """Each container's best claim comes out with its value, offset and device, its size or its length."""
    reading = read(str(shelf / name))
    assert (reading.kind, reading.format) == (kind, form)
    assert claim is None or claim in claims_inside(reading)
    assert device_words(reading) == device
    if kind is Kind.STILL:
        assert (reading.width, reading.height) == extent
    else:
        assert reading.duration == pytest.approx(extent, abs=0.001)
    assert not reading.notes
    assert kind is Kind.SIDECAR or name == "fragments.mp4" or reading.payload


@pytest.mark.parametrize("name", [name for name, *_ in EXPECTED])
def test_a_wrong_name_changes_nothing(name: str, shelf: Path, tmp_path: Path) -> None:
    """Formats are told by content: whatever the extension says, format, claims and device are the same."""
    data = (shelf / name).read_bytes()
    right = read(str(put(tmp_path / "right" / name, data)))
    for wrong in ("a.MOV", "a.jpg", "a.txt", "a"):
        other = read(str(put(tmp_path / wrong, data)))
        same_format = "raw" if right.format == "nef" else right.format
        assert (other.kind, other.format, other.device) == (right.kind, same_format, right.device)
        assert claims_inside(other) == claims_inside(right)


@pytest.mark.parametrize("name", [name for name, *_ in EXPECTED])
@settings(max_examples=8, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_a_file_cut_or_changed_anywhere_still_reads(
    name: str, shelf: Path, tmp_path: Path, data: st.DataObject
) -> None:
    """Damage costs the part behind it, raises nothing, and makes no reader stumble."""
    whole = bytearray((shelf / name).read_bytes())
    for _ in range(data.draw(st.integers(0, 6))):
        whole[data.draw(st.integers(0, min(len(whole), 3000) - 1))] = data.draw(st.integers(0, 255))
    cut = whole[: data.draw(st.integers(1, len(whole)))]
    reading = read(str(put(tmp_path / name, bytes(cut))))
    assert reading.claims[-1].at == "file"
    assert STUMBLED not in reading.notes
