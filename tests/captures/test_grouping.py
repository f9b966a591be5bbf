"""What belongs together, in which order, and by which device."""

from __future__ import annotations

from datetime import datetime, timedelta
from pathlib import Path

import pytest

from jutrek.captures import Capture, ReadFile, assign, decide, group
from jutrek.demo.shelf import specimens
from jutrek.formats import Kind, read
from jutrek.sources import Medium, Source, SourceFile
from tests import making
from tests.making import WHEN, put


def read_files(root: Path, *paths: Path) -> list[ReadFile]:
    found = []
    for path in paths:
        status, reading = path.stat(), read(str(path))
        file = SourceFile(str(path), str(root), status.st_size, status.st_mtime_ns)
        found.append(ReadFile(file, reading, decide(reading.claims)))
    return found


def names(capture: Capture) -> list[str]:
    return [Path(read_file.file.path).name for read_file in capture.files]


def test_raw_jpeg_and_sidecars_are_one_capture(card: Path) -> None:
    """The raw leads; both spellings of a sidecar's name are tied, whatever the case of the names."""
    files = [
        put(card / "DCIM" / name, data)
        for name, data in (
            ("dsc1.xmp", making.xmp()), ("DSC1.JPG", making.jpeg()), ("DSC1.DNG.xmp", making.xmp()),
            ("DSC1.DNG", making.dng()), ("DSC2.JPG", making.jpeg(seed=2)),
        )
    ]  # fmt: skip
    first, second = group(read_files(card, *files))
    assert names(first) == ["DSC1.DNG", "DSC1.JPG", "DSC1.DNG.xmp", "dsc1.xmp"]
    assert names(second) == ["DSC2.JPG"]


def test_a_thumbnail_beside_a_clip_is_its_companion(card: Path) -> None:
    """A `.THM` is a JPEG by content, and leads nothing."""
    files = [put(card / "MVI_1.THM", making.jpeg()), put(card / "MVI_1.AVI", specimens()["compact.avi"])]
    (capture,) = group(read_files(card, *files))
    assert names(capture) == ["MVI_1.AVI", "MVI_1.THM"]
    assert capture.kind is Kind.CLIP


def test_the_date_tells_which_file_it_comes_from(card: Path) -> None:
    """A still without a date of its own is dated by its sidecar."""
    files = [put(card / "A.JPG", making.jpeg(None)), put(card / "A.xmp", making.xmp())]
    (capture,) = group(read_files(card, *files))
    assert capture.dated_by == 1
    assert capture.moment is capture.files[1].moment


def test_the_same_stem_is_not_enough(card: Path) -> None:
    """Another folder, or a date a year apart, makes another capture."""
    files = [
        put(card / "DCIM" / "100" / "A.JPG", making.jpeg()),
        put(card / "DCIM" / "101" / "A.JPG", making.jpeg(seed=1)),
        put(card / "DCIM" / "101" / "A.DNG", making.dng(WHEN + timedelta(days=365))),
    ]
    assert [names(capture) for capture in group(read_files(card, *files))] == [["A.JPG"], ["A.JPG"], ["A.DNG"]]


def test_captures_come_in_the_order_of_shooting(card: Path) -> None:
    """By the fraction of the second, then by the counter in the name."""
    shots = [("C", 900_000), ("B", 100_000), ("A", 900_000)]
    files = [
        put(card / f"{name}.JPG", making.jpeg(WHEN.replace(microsecond=micro), seed=number))
        for number, (name, micro) in enumerate(shots)
    ]
    assert [names(capture)[0] for capture in group(read_files(card, *files))] == ["B.JPG", "A.JPG", "C.JPG"]


@pytest.mark.parametrize(("start", "doubted"), [(datetime(2000, 1, 1, 0, 7), True), (datetime(2026, 1, 1), False)])
def test_a_clock_that_was_never_set_is_doubted(card: Path, start: datetime, *, doubted: bool) -> None:
    """Captures at the start of a year long before the rest of their source are not believed."""
    files = [put(card / "A.JPG", making.jpeg(start)), put(card / "B.JPG", making.jpeg(seed=1))]
    first = group(read_files(card, *files))[0]
    assert first.trusted is not doubted
    assert first.moment is not None
    assert ("never set" in first.moment.why) is doubted


def test_an_unset_clock_runs_on_and_a_new_year_is_celebrated(card: Path) -> None:
    """All of a run that began at a new year is doubted; pictures of other devices and of later new years are not."""
    unset = [datetime(2000, 1, 1, 0, 7), datetime(2000, 1, 3, 9), datetime(2000, 1, 20, 9)]
    party = [datetime(2024, 6, 1, 9), datetime(2025, 1, 1, 0, 3), datetime(2026, 5, 1, 9)]
    files = [
        put(card / f"{model}{number}.JPG", making.jpeg(when, model=model, seed=number))
        for model, dates in (("C1", [*unset, datetime(2026, 5, 14, 9)]), ("M2", party))
        for number, when in enumerate(dates)
    ]
    doubted = [names(capture)[0] for capture in group(read_files(card, *files)) if not capture.trusted]
    assert doubted == ["C10.JPG", "C11.JPG", "C12.JPG"]


def test_a_companion_lends_its_date(card: Path) -> None:
    """A picture without any date is dated by its sidecar."""
    files = [put(card / "A.JPG", making.jpeg(None)), put(card / "A.xmp", making.xmp())]
    (capture,) = group(read_files(card, *files))
    assert capture.trusted
    assert capture.moment is not None
    assert capture.moment.local == WHEN.replace(microsecond=0)


def test_letters_follow_what_people_write_on_their_cards(tmp_path: Path) -> None:
    """A lone letter on a card wins, a folder lends its initial, the rest take the first free one."""
    sources, captures = [], {}
    for number, (name, medium) in enumerate(
        (("CARD_B", Medium.CARD), ("Phone inbox", Medium.FOLDER), ("UNTITLED", Medium.CARD), ("Old B", Medium.CARD))
    ):
        root = tmp_path / name
        data = making.jpeg(model=f"M{number}")
        captures[str(root)] = group(read_files(root, put(root / "A.JPG", data)))
        sources.append(Source(str(root), name, medium))
    devices = assign(sources, captures)
    assert [(device.name, device.letter) for device in devices.values()] == [
        ("Arlen M0", "B"), ("Arlen M1", "P"), ("Arlen M2", "A"), ("Arlen M3", "C"),
    ]  # fmt: skip
    assert sorted(device.colour for device in devices.values()) == [0, 1, 2, 3]
