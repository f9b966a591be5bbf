"""Clocks by what devices heard: found where there is enough of it, never where there is not."""

from __future__ import annotations

import io
import threading
from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from fractions import Fraction
from functools import cache
from pathlib import Path

import av
import numpy as np
import pytest
from numpy.typing import NDArray

from jutrek.captures import Beside, Capture, Decisions, Heard, ReadFile, find_doubts, propose
from jutrek.captures.by_ear import by_ear
from jutrek.captures.capture import Device
from jutrek.captures.moment import Moment, Trust
from jutrek.captures.proposal import Proposal
from jutrek.demo import sound
from jutrek.errors import Stopped
from jutrek.formats import Kind, Precision, Reading
from jutrek.hearing import Listening, heard_of
from jutrek.sources import SourceFile

NOON = datetime(2026, 5, 14, 12, 0)
voices = cache(sound.voices)
RECORDER = sound.Recorder("R6", "1", sound.AIR)
Floats = NDArray[np.float64]
BEGINS = 15.02
"""Between two steps of the curves, which are 0.04 s."""


def capture(path: Path, device: str, local: datetime, seconds: float, kind: Kind = Kind.SOUND) -> Capture:
    status = path.stat()
    file = SourceFile(str(path), str(path.parent), status.st_size, status.st_mtime_ns)
    moment = Moment(local, None, Precision.SUBSECOND, Trust.SURE, -1, "")
    return Capture((ReadFile(file, Reading(kind, "wav", (), duration=seconds), moment),), moment, device)


def wav(folder: Path, device: str, at: float, air: Floats, off: float = 0.0, name: str = "") -> Capture:
    """A take that begins `at` seconds after noon, on a device whose clock is off."""
    local, seconds = NOON + timedelta(seconds=at + off), len(air) / sound.AIR
    path = folder / f"{device} {name or at}.wav"
    path.write_bytes(sound.take(local, seconds, int(at), scene="x", number=1, air=air, recorder=RECORDER))
    return capture(path, device, local, seconds)


def aac(folder: Path, device: str, at: float, air: Floats, off: float, late: float = 0.0) -> Capture:
    """A clip, 32 kHz AAC in MP4, whose sound begins later than its picture."""
    out = io.BytesIO()
    wave = np.interp(np.arange(2 * len(air)) / 2, np.arange(len(air)), air).astype(np.float32)[None] * 0.3
    with av.open(out, "w", format="mp4") as container:
        picture = container.add_stream("libx264", rate=5, options={"preset": "ultrafast"})
        picture.width, picture.height, picture.pix_fmt = 64, 64, "yuv420p"
        stream = container.add_stream("aac", rate=32_000, options={"aac_coder": "fast"})
        for number in range(int(len(air) / sound.AIR * 5)):
            frame = av.VideoFrame.from_ndarray(np.full((64, 64, 3), number % 255, np.uint8), format="rgb24")
            frame.pts, frame.time_base = number, Fraction(1, 5)
            container.mux(picture.encode(frame))
        for start in range(int(late * 32_000), wave.shape[1], 32_000):
            frames = av.AudioFrame.from_ndarray(wave[:, start : start + 32_000].copy(), format="fltp", layout="mono")
            frames.sample_rate, frames.pts = 32_000, start
            frames.time_base = Fraction(1, 32_000)
            container.mux(stream.encode(frames))
        container.mux(stream.encode(None))
        container.mux(picture.encode(None))
    path = folder / f"{device} {at}.mp4"
    path.write_bytes(out.getvalue())
    return capture(path, device, NOON + timedelta(seconds=at + off), len(air) / sound.AIR, Kind.CLIP)


def heard(captures: Sequence[Capture], supposed: dict[str, float] | None = None) -> tuple[Heard, ...]:
    return heard_of(captures, supposed or {}, lambda done, total: None, threading.Event())


def part(air: Floats, begin: float, seconds: float) -> Floats:
    return air[int(begin * sound.AIR) : int((begin + seconds) * sound.AIR)]


def day(folder: Path, off: float, make: Callable[..., Capture] = wav, at: Sequence[float] = (0, 1200)) -> list[Capture]:
    """Takes of a minute, and clips of half a minute within them by a device whose clock is off."""
    captures = []
    for number, begin in enumerate(at):
        air = voices(40 + number, 60)
        captures.append(wav(folder, "recorder", begin, air))
        captures.append(make(folder, "camera", begin + BEGINS, part(air, BEGINS, 35), off))
    return captures


@pytest.mark.parametrize("off", [3600.0, -443.4, 40_000.25])
def test_a_shift_is_found_to_a_tenth_of_a_second(off: float, tmp_path: Path) -> None:
    """From two clips twenty minutes apart, whatever the clock is off by; and where each lies in its take."""
    captures = day(tmp_path, off)
    (found,) = heard(captures)
    apart = found.apart({one.id: one for one in captures})
    assert (found.device, found.other, found.certain) == ("camera", "recorder", True)
    assert apart == pytest.approx(-off, abs=0.01)
    assert {round(pair.seconds) for pair in found.pairs} == {15}
    assert found.waves is not None
    assert found.waves.begin == pytest.approx(6.0, abs=0.1)


@pytest.mark.long
def test_a_long_clip_is_told_from_its_own_beginning(tmp_path: Path) -> None:
    """It is looked for in pieces; here only the second one has something to hear."""
    captures = [wav(tmp_path, "recorder", 9000, np.zeros(400 * sound.AIR))]
    for number, at in enumerate((0, 1200)):
        air = voices(60 + number, 40)
        captures.append(wav(tmp_path, "recorder", at + 125, air))
        captures.append(wav(tmp_path, "camera", at, np.concatenate([np.zeros(125 * sound.AIR), air]), 900.0))
    (found,) = heard(captures)
    assert found.device == "camera"
    assert found.apart({one.id: one for one in captures}) == pytest.approx(-900.0, abs=0.05)
    assert {round(pair.seconds) for pair in found.pairs} == {-125}


@pytest.mark.long
def test_sound_of_clips_is_lined_up_by_its_own_time(tmp_path: Path) -> None:
    """Another codec, another rate, and sound that begins half a second after the picture."""

    def late(folder: Path, device: str, at: float, air: Floats, off: float) -> Capture:
        return aac(folder, device, at, air, off, late=0.5)

    captures = day(tmp_path, 100.0, late)
    (found,) = heard(captures)
    assert found.apart({one.id: one for one in captures}) == pytest.approx(-100.0, abs=0.1)


def test_what_was_broken_off_is_listened_to_anew(tmp_path: Path) -> None:
    """A source that comes while a recording is being listened to changes nothing of what is heard."""
    captures, known = day(tmp_path, 3600.0), {}
    first = Listening(captures, {}, known)
    while first.done < 2:
        first.go_on(0.0001)
    first.go_on(0.0001)
    del first
    again = Listening(captures, {}, known)
    while again.has_work:
        again.go_on(1.0)
    assert [(one.device, one.certain) for one in again.found] == [("camera", True)]


def test_what_is_not_enough_is_not_certain(tmp_path: Path) -> None:
    """One clip, clips a few minutes apart, or other sounds: nothing is said."""
    for number, at in enumerate(((0,), (0, 300))):
        folder = tmp_path / str(number)
        folder.mkdir()
        assert heard(day(folder, 600.0, at=at)) == ()
    recorder = [one for one in day(tmp_path, 0.0) if one.device == "recorder"]
    others = [wav(tmp_path, "camera", at + 15, voices(90 + int(at), 35)) for at in (0, 1200)]
    assert heard([*recorder, *others]) == ()


def test_a_tune_that_is_played_again_is_not_certain(tmp_path: Path) -> None:
    """The same tune in every take and every clip: each clip fits each take."""
    tune = voices(7, 40)
    captures = []
    for at in (0, 1300, 3100, 5200):
        captures.append(wav(tmp_path, "recorder", at, np.concatenate([voices(50 + at, 10), tune])))
    for at in (400, 2200, 4400):
        captures.append(wav(tmp_path, "camera", at, tune[: 20 * sound.AIR]))
    assert heard(captures) == ()


def test_what_cannot_be_heard_says_nothing(tmp_path: Path) -> None:
    """Damaged files, silent ones, files that are gone; and listening can be stopped."""
    captures = day(tmp_path, 3600.0)
    Path(captures[0].id).write_bytes(b"RIFF" + bytes(100))
    Path(captures[1].id).unlink()
    quiet = wav(tmp_path, "camera", 5000, np.zeros(20 * sound.AIR))
    assert heard([*captures, quiet]) == ()
    stop = threading.Event()
    stop.set()
    with pytest.raises(Stopped):
        heard_of(captures, {}, lambda done, total: None, stop)


def links(*apart: tuple[str, str, float]) -> tuple[list[Heard], dict[str, Capture]]:
    """What pairs of devices heard: the first one's clock has to be shifted by so much."""
    captures, found = {}, []
    for number, (one, other, seconds) in enumerate(apart):
        for device, local in ((one, NOON), (other, NOON + timedelta(seconds=seconds))):
            path = f"/{number}/{device}"
            file = SourceFile(path, "/", 1, 0)
            moment = Moment(local, None, Precision.SECOND, Trust.SURE, -1, "")
            read = ReadFile(file, Reading(Kind.CLIP, "mov", ()), moment)
            captures[path] = Capture((read,), moment, device)
        found.append(Heard(one, other, True, 3.0, (Beside(f"/{number}/{one}", f"/{number}/{other}", 0.0),)))
    return found, captures


def told(found: list[Proposal]) -> list[tuple[str, float, bool]]:
    return sorted((one.device, one.seconds, one.certain) for one in found)


def test_what_was_heard_is_told_on_from_the_devices_that_are_right() -> None:
    """Through a device that is wrong itself; what presses said otherwise gives way, a rounder figure stays."""
    made, captures = links(("b", "a", 3600.0), ("c", "b", -10.0), ("d", "a", 1.0), ("a", "e", -7200.0))
    presses = [Proposal("b", 3601.0, False, "Presses."), Proposal("d", 500.0, True, "Presses.")]
    found = by_ear(presses, made, captures, {"a"}, firm=True)
    assert told(found) == [("b", 3601.0, True), ("c", 3590.0, True), ("e", 7200.0, True)]
    for said, stays in ((3602.0, 3602.0), (3598.0, 3598.0), (3602.1, 3600.0)):
        rounder = [Proposal("b", said, False, "Presses.")]
        assert told(by_ear(rounder, made[:1], captures, {"a"}, firm=True)) == [("b", stays, True)]
    unknown = by_ear([], made[:1], captures, set(), firm=True)
    assert told(unknown) == [("b", 3600.0, False)]
    loose = [replace(made[0], certain=False)]
    assert by_ear(presses, loose, captures, {"a"}, firm=True) == presses
    others = {key: replace(one, device=f"{one.device}, another body") for key, one in captures.items()}
    assert by_ear(presses, made, others, {"a"}, firm=True) == presses


def test_of_another_day_nothing_heard_is_certain() -> None:
    """A tape that is played each day sounds alike on both; who is right is known all the same."""
    made, captures = links(("b", "a", 86_400.0))
    (found,) = by_ear([], made, captures, {"a"}, firm=True)
    assert (found.seconds, found.certain, found.against) == (86_400.0, False, ())
    (found,) = by_ear([], made, captures, set(), firm=False)
    assert (found.certain, found.against) == (False, ("a",))


def test_devices_that_only_heard_one_another_are_asked_about_too() -> None:
    """Though nobody tells which of them is right; of the others that is known all the same."""
    made, captures = links(("b", "a", 3600.0), ("y", "z", 600.0), ("x", "y", 60.0))
    found = by_ear([], made, captures, {"a"}, firm=True)
    assert told(found) == [("b", 3600.0, True), ("x", 660.0, False), ("y", 600.0, False)]


def test_satellites_outweigh_what_was_heard() -> None:
    """They say which of the two is wrong."""
    made, captures = links(("b", "a", 3600.0))
    satellite = Proposal("a", -3600.0, True, "", by_satellite=True)
    assert told(by_ear([satellite], made, captures, {"b"}, firm=True)) == [("a", -3600.0, True)]
    assert told(by_ear([satellite], made, captures, set(), firm=False)) == [("a", -3600.0, True)]


def test_the_question_says_what_was_heard_and_goes_when_it_is_answered(tmp_path: Path) -> None:
    """Once the clock is put right, what was heard agrees, and nothing is asked."""
    captures = day(tmp_path, 3600.0)
    found = heard(captures)
    devices = {key: Device(key, key, key[0].upper()) for key in ("camera", "recorder")}
    (doubt,) = find_doubts(captures, devices, Decisions(), propose(captures, found))
    assert "2 of them heard what R · recorder heard" in doubt.evidence
    assert doubt.shift == -3600.0
    shifted = doubt.answers[0].change.on(Decisions())
    from jutrek.captures import settled

    assert propose(settled(captures, shifted), found) == []
