"""Which files are one capture, why, and what their names carry; parts of recordings, and bursts."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

import pytest

from jutrek.captures import Capture, ReadFile, counter_of, group, named_after
from jutrek.formats import DeviceFacts, Kind
from tests.captures.make import CAMCORDER, DAY, RECORDER, at, file, names

NOON = at("12:00")


def one(*files: ReadFile) -> Capture:
    (capture,) = group(files)
    return capture


@pytest.mark.parametrize(
    ("files", "together"),
    [
        (["DCIM/A1.DNG", "DCIM/A1.JPG", "DCIM/A1.xmp", "DCIM/A1.DNG.xmp"], True),
        (["DCIM/A1.HEIC", "DCIM/A1.MOV"], True),
        (["DCIM/A1.JPG", "DCIM/A1.WAV"], True),
        (["CLIP/C0001.MP4", "SUB/C0001S03.MP4"], True),
        (["X/C0001.MP4", "X/Proxy/C0001.MP4"], True),
        (["X/VX010034.MP4", "X/VL010034.LRV"], True),
        (["100/A1.JPG", "101/A1.JPG"], False),
        (["CLIP/C0001.MP4", "OTHER/SUB/C0001S03.MP4"], False),
    ],
)
def test_files_of_one_press(files: list[str], together: bool) -> None:
    """Raw, developed, sidecars, motion, voice and proxies are tied; another folder is another capture."""
    captures = group(file(path, NOON, CAMCORDER) for path in files)
    assert (len(captures) == 1) is together
    if together:
        assert all(captures[0].tied[1:])
        assert not captures[0].tied[0]


@pytest.mark.parametrize(
    ("other", "later", "device", "together"),
    [
        ("JPG/A1.JPG", 0, CAMCORDER, True), ("JPG/A1.JPG", 2, CAMCORDER, False), ("JPG/A1.JPG", 0, RECORDER, False),
        ("JPG/A2.JPG", 0, CAMCORDER, False), ("Out/JPG/A1.JPG", 0, CAMCORDER, False),
        ("DNG/A1.DNG", 0, CAMCORDER, False),
    ],
)  # fmt: skip
def test_raws_and_pictures_in_folders_beside_each_other(
    other: str, later: int, device: DeviceFacts, together: bool
) -> None:
    """One press is one capture: the same name, device and second; anything else is another."""
    captures = group([file("RAW/A1.DNG", NOON, CAMCORDER), file(other, NOON + timedelta(seconds=later), device)])
    assert (len(captures) == 1) is together


def test_an_edit_comes_behind_its_original() -> None:
    """Also where it lost the fraction of the second: the original takes the name, and its copy comes behind."""
    original = file("DSC_0001.JPG", at("12:00:00.42"))
    edits = [file(f"DSC_0001{end}", NOON) for end in ("-Edit.tif", "_edited.jpg", " (1).JPG")]
    first, copy = group([*edits, original])
    assert names(first) == ["DSC_0001.JPG", "DSC_0001-Edit.tif", "DSC_0001_edited.jpg"]
    assert first.tails == ("", "-Edit", "_edited")
    assert first.tied == ("", "made of it", "made of it")
    assert names(copy) == ["DSC_0001 (1).JPG"]
    later = file("DSC_0001-Edit.tif", NOON + timedelta(hours=1))
    assert [names(one) for one in group([original, later, file("DSC_0001-Edit.xmp", None)])] == [
        ["DSC_0001.JPG"], ["DSC_0001-Edit.tif", "DSC_0001-Edit.xmp"],
    ]  # fmt: skip
    assert [counter_of(name) for name in ("DSC_0025 (1).JPG", "DSC_0025-2.JPG", "DSC_0025 copy 3.JPG")] == [25] * 3
    assert [counter_of(name) for name in ("IMG_20260514_102613.jpg", "Clip 2026-05-14 10.26.13.mov")] == [None, None]
    assert counter_of("100_0001.JPG") == 1


def test_sidecars_of_any_kind_are_tied_by_their_names() -> None:
    """What is not named after a file beside it is no sidecar, nor is a picture that could not be read."""
    raw, edit = file("A1.DNG", NOON), file("A1-Edit.tif", NOON)
    beside = [file(name, None) for name in ("A1.pp3", "A1.DNG.pp3", "A1-Edit.psd", "A1-Edit.tif.txt")]
    away = [file(name, None) for name in ("B/A1.pp3", "A2.txt", "A10.pp3", "A1.MOV.MP3.txt")]
    broken = replace(file("A1.JPG", None), reading=edit.reading._replace(kind=Kind.OTHER))
    assert named_after([*beside, *away, broken], [raw, edit]) == {one.file.path for one in beside}
    capture = one(raw, edit, *beside)
    assert names(capture)[:2] == ["A1.DNG", "A1-Edit.tif"]
    assert dict(zip(names(capture), capture.tails, strict=True)) == {
        "A1.DNG": "", "A1-Edit.tif": "-Edit", "A1.pp3": "", "A1.DNG.pp3": "", "A1-Edit.psd": "-Edit",
        "A1-Edit.tif.txt": "-Edit",
    }  # fmt: skip
    assert not group([away[0]])


def test_a_proxy_bears_its_name() -> None:
    """A proxy of the same extension must not clash with its clip."""
    capture = one(file("M4ROOT/CLIP/C0001.MP4", NOON, seconds=9), file("M4ROOT/SUB/C0001S03.MP4", NOON, seconds=9))
    assert (capture.tails, capture.tied[1]) == (("", "_proxy"), "a proxy of it")
    assert capture.duration == 9


def test_what_has_no_clip_is_no_proxy() -> None:
    """A folder of people's own may be called so: what lies in it is brought home, and named, like everything else."""
    assert names(one(file("SUB/C0001S03.MP4", NOON))) == ["C0001S03.MP4"]
    assert one(file("Sub/A.HEIC", NOON), file("Sub/A.MOV", NOON)).tails == ()
    assert one(file("Sub/A.DNG", NOON), file("Sub/A.JPG", NOON)).tails == ()


def test_the_same_content_identifier_ties_and_another_parts() -> None:
    """Where devices store one, it says more than times do."""
    same = [("content", "x")]
    assert len(group([file("A.HEIC", NOON, ties=same), file("A.MOV", NOON + timedelta(hours=2), ties=same)])) == 1
    apart = group([file("A.HEIC", NOON, ties=same), file("A.MOV", NOON, ties=[("content", "y")])])
    assert [names(capture) for capture in apart] == [["A.HEIC"], ["A.MOV"]]
    assert "another content identifier" in apart[0].notes[0]


def test_why_files_were_not_tied_is_told() -> None:
    """The same name a year apart is two captures, and each says so of the other."""
    older, newer = group([file("A.JPG", NOON - timedelta(days=365)), file("A.DNG", NOON)])
    assert older.notes == ("A.DNG has the same name and was shot at 2026-05-14 12:00: it is a capture of its own.",)
    assert "A.JPG" in newer.notes[0]


def test_tracks_of_a_take_are_one_capture() -> None:
    """Tracks keep what tells them apart; a track of another time is another take."""
    tracks = [file(f"T01_{track}.WAV", NOON, RECORDER, seconds=30) for track in ("TR1", "TR2", "TrLR")]
    later = file("T01_TR3.WAV", NOON + timedelta(hours=1), RECORDER, seconds=30)
    take, other = group([*tracks, later])
    assert (take.tails, take.kind, take.duration) == (("_tr1", "_tr2", "_trlr"), Kind.SOUND, 30)
    assert names(other) == ["T01_TR3.WAV"]


def parts(lengths: list[float], gaps: list[float], name: str = "{:04}.MOV") -> list[ReadFile]:
    """Clips one behind the other, with these pauses after each."""
    when, files = NOON, []
    for number, (seconds, gap) in enumerate(zip(lengths, gaps, strict=True)):
        files.append(file(f"CLIP/{name.format(number + 1)}", when, CAMCORDER, seconds=seconds))
        when += timedelta(seconds=seconds + gap)
    return files


def test_parts_that_follow_without_a_pause_are_one_recording() -> None:
    """Cut by size or time: the next counter begins where the last one ended. A pause ends the recording."""
    recording, single = group(parts([600, 600, 120, 60], [0, 1, 9, 0]))
    assert (names(recording), recording.tails) == (["0001.MOV", "0002.MOV", "0003.MOV"], ("_p1", "_p2", "_p3"))
    assert recording.duration == 1320
    assert recording.tied == ("", "part 2 of one recording", "part 3 of one recording")
    assert names(single) == ["0004.MOV"]


@pytest.mark.parametrize(("size", "together"), [(90_000_000, False), (2**31 - 2_000_000, True), (2**32 - 1, True)])
def test_a_quick_finger_makes_no_parts(size: int, *, together: bool) -> None:
    """A clip that begins a second after another is a part of its recording only where that one was full."""
    one = file("C1.MOV", NOON, CAMCORDER, seconds=47.3, size=size)
    other = file("C2.MOV", NOON + timedelta(seconds=48), CAMCORDER, seconds=12.2)
    assert (len(group([one, other])) == 1) is together


def test_a_length_that_comes_again_is_a_cut() -> None:
    """Equal parts, and the shorter one behind them."""
    assert [len(capture.files) for capture in group(parts([47.3, 47.3, 12], [0, 0, 0]))] == [3]
    assert [len(capture.files) for capture in group(parts([47.3, 12, 9], [0, 0, 0]))] == [1, 1, 1]
    assert [len(capture.files) for capture in group(parts([60, 60], [1.6, 0]))] == [2]
    assert [len(capture.files) for capture in group(parts([60, 60], [1.7, 0]))] == [1, 1]


def test_parts_with_companions_keep_them() -> None:
    """A part's thumbnail travels with the part."""
    files = [*parts([60, 60], [0, 0]), file("CLIP/0002.XMP", None, None)]
    (recording,) = group(files)
    assert dict(zip(names(recording), recording.tails, strict=True)) == {
        "0001.MOV": "_p1", "0002.MOV": "_p2", "0002.XMP": "_p2",
    }  # fmt: skip


@pytest.mark.parametrize("counted", [(1, 2, 3), (1, 3), (2, 3)])
def test_names_that_count_parts_show_which_is_missing(counted: tuple[int, ...]) -> None:
    """`VX020034` is part 2 of recording 34, whatever else lies beside it."""
    files = [
        file(f"X/VX{part:02}0034.MP4", NOON + timedelta(seconds=60 * part), CAMCORDER, seconds=60) for part in counted
    ]
    other = file("X/VX010035.MP4", NOON + timedelta(hours=1), CAMCORDER, seconds=60)
    recording, lone = group([*files, other])
    assert recording.tails == tuple(f"_p{part}" for part in counted)
    missing = {1, 2, 3} - set(counted)
    assert [note for note in recording.notes if "missing" in note] == [
        f"Part {part} of this recording is missing." for part in missing
    ]
    assert lone.tails == ()


def test_a_common_identifier_makes_a_recording() -> None:
    """What the device itself ties needs no times to agree, and what it does not tie is not joined."""
    same = [
        file(f"X/{number}.MP4", NOON + timedelta(minutes=number), CAMCORDER, seconds=60, ties=[("chapter", "id")])
        for number in (1, 2)
    ]
    other = file("X/3.MP4", NOON + timedelta(minutes=3), CAMCORDER, seconds=60)
    assert [len(capture.files) for capture in group([*same, other])] == [2, 1]


def test_frames_within_a_second_are_one_burst() -> None:
    """Of one device; ordered by fraction, then by counter. A clip, a pause, or another device is outside."""
    times = ["09:00:00.10", "09:00:00.50", "09:00:01.40", "09:00:05", "09:00:06"]
    frames = [file(f"D{number}.JPG", at(clock)) for number, clock in enumerate(times, 10)]
    clip = file("D20.MOV", at("09:00:00.20"), seconds=4)
    other = file("E1.JPG", at("09:00:00.30"), CAMCORDER)
    captures = {names(capture)[0]: capture for capture in group([*reversed(frames), clip, other])}
    head = captures["D10.JPG"].id
    assert {name for name, capture in captures.items() if capture.stack} == {"D10.JPG", "D11.JPG", "D12.JPG"}
    assert all(captures[name].stack == head for name in ("D10.JPG", "D11.JPG", "D12.JPG"))


def test_a_burst_identifier_needs_no_second() -> None:
    """Frames that the device marks as one burst are one, also when they are slower."""
    frames = [file(f"D{n}.JPG", NOON + timedelta(seconds=2 * n), ties=[("burst", "b")]) for n in range(3)]
    assert len({capture.stack for capture in group(frames)} - {""}) == 1


def test_within_one_second_the_counter_orders() -> None:
    """Also past the turn from 9 to 10, which names alone would order wrongly."""
    frames = [file(f"IMG_{number}.JPG", NOON) for number in (10, 9, 11)]
    assert [names(capture)[0] for capture in group(frames)] == ["IMG_9.JPG", "IMG_10.JPG", "IMG_11.JPG"]


@pytest.mark.parametrize(
    ("name", "counter"),
    [("DSC04411.DNG", 4411), ("T003_TR2.WAV", 3), ("C0001S03.MP4", 3), ("party.jpg", None), ("1" * 12 + ".jpg", None)],
)
def test_counters_are_the_last_digits(name: str, counter: int | None) -> None:
    """The number of a track is none, nor is a number that no device would count to."""
    assert counter_of(f"/card/{name}") == counter


def test_dates_without_a_time_make_no_burst() -> None:
    """Two pictures of one day are not two of one second."""
    from jutrek.formats import Precision

    files = [file(f"{n}.JPG", DAY, precision=Precision.DAY) for n in range(2)]
    assert {capture.stack for capture in group(files)} == {""}
