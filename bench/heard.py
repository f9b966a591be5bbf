"""Lined up by what they heard: made-up days with known truth, how many are found, and how many are found wrongly.

A recorder runs a few times a day; other devices film clips, some of them while it runs. What is to be heard is made
here: talk (voiced syllables and hisses, never twice alike), two tunes that are played again and again, hammering, hum,
near-silence, a tape on a loop; each device hears it with its own room, noise, wind, gain that follows the loudness,
clipping, and drift of up to 50 ppm. Some devices share nothing with the recorder.
"""

from __future__ import annotations

import os
import sys
import time
from collections import Counter, defaultdict
from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from scipy import signal

from jutrek.captures import Capture, ReadFile
from jutrek.captures.moment import Moment, Trust
from jutrek.formats import Kind, Precision, Reading
from jutrek.hearing.listening import Key, Listening
from jutrek.hearing.sound import RATE, Curves, Ear
from jutrek.sources import SourceFile

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float32]

_F32 = np.float32
_DAYS = int(os.environ.get("JUTREK_HEARD_DAYS", "24"))
"""Days of a recorder; each is met by three other devices."""
_MORNING = datetime(2026, 5, 14, 9, 0)
_SCENES = ("talk", "talk over hum", "tune", "hammer", "hum", "silence")
_MIXED, _MUSIC = (0.36, 0.16, 0.14, 0.13, 0.11, 0.10), (0.10, 0.0, 0.60, 0.20, 0.0, 0.10)
_SNRS = (20, 20, 20, 10, 10, 10, 0, 0, -10)
_ROOM = 60.0


class Air(NamedTuple):
    """What a day sounds like."""

    talk: list[Floats]
    tunes: list[Floats]
    beat: float
    blow: Floats
    odds: tuple[float, ...]
    loop: Floats | None


class Take(NamedTuple):
    """A take: what was to be heard from a minute before it to a minute after, and when it began."""

    begin: float
    length: float
    sound: Floats


def run() -> None:
    """Print how many shifts were found, by kind of day, and what it cost."""
    table: dict[str, Counter[str]] = defaultdict(Counter)
    errors: list[float] = []
    spent = heard_hours = 0.0
    for seed in range(_DAYS):
        dice = np.random.default_rng(seed)
        style = ("mixed", "mixed", "mixed", "music", "loop")[seed % 5]
        air = _air(dice, style)
        takes = _takes(dice, air)
        recorder, known = _recorder(dice, takes)
        for number in range(3):
            shared, shift, captures = _device(dice, air, takes, f"camera {number}", known)
            for supposed, how in ((0.0, "unknown"), (-shift + dice.uniform(-200, 200), "known to 5 min")):
                began = time.process_time()
                listening = Listening([*recorder, *captures], {f"camera {number}": supposed}, known)
                while listening.has_work:
                    listening.go_on(60)
                spent += time.process_time() - began
                heard_hours += sum(take.length for take in takes) / 3600
                got = _judge(listening, captures, recorder, shift, errors)
                for row in (f"{style}, clock {how}", _by_shared(shared, how)):
                    table[row][got] += 1
        sys.stderr.write(f"\rday {seed + 1} of {_DAYS}")
    sys.stderr.write("\r")
    print(f"{'':42}{'certain, right':>16}{'certain, wrong':>16}{'open':>8}")
    for row, counts in sorted(table.items()):
        print(f"{row:42}{counts['right']:16}{counts['wrong']:16}{counts['open']:8}")
    if errors:
        told = np.percentile(errors, (50, 95, 100))
        print(f"off by {told[0]:.2f} s in the median, {told[1]:.2f} in 19 of 20, {told[2]:.2f} at most (whole seconds)")
    print(f"comparing: {spent / heard_hours:.1f} CPU-seconds for 15 clips and an hour of takes")


def _by_shared(shared: int, how: str) -> str:
    name = "none" if not shared else "1" if shared == 1 else "2 to 4" if shared < 5 else "5 and more"
    return f"shared clips: {name}, clock {how}"


def _judge(
    listening: Listening, captures: list[Capture], recorder: list[Capture], shift: float, errors: list[float]
) -> str:
    by_id = {capture.id: capture for capture in (*captures, *recorder)}
    for heard in listening.found:
        apart = heard.apart(by_id) or 0.0
        error = abs((apart if heard.device != "recorder" else -apart) + shift)
        if error < 3:
            errors.append(error)
        return "right" if error < 3 else "wrong"
    return "open"


def _air(dice: np.random.Generator, style: str) -> Air:
    decay = np.exp(-np.arange(1600) / dice.uniform(60, 300))
    air = Air(
        [_sentence(dice) for _ in range(60)], [_tune(dice, dice.uniform(60, 120)) for _ in range(2)],
        dice.uniform(0.4, 1.2), (dice.standard_normal(1600) * decay * 0.4).astype(_F32),
        _MUSIC if style == "music" else _MIXED, None,
    )  # fmt: skip
    return air._replace(loop=_sound(dice, air, dice.uniform(300, 600), 0.0)) if style == "loop" else air


def _takes(dice: np.random.Generator, air: Air) -> list[Take]:
    takes, at = [], 0.0
    for _ in range(4):
        length = float(np.exp(dice.uniform(np.log(240), np.log(900))))
        at += dice.uniform(900, 7200)
        takes.append(Take(at, length, _sound(dice, air, length + 2 * _ROOM, at - _ROOM)))
        at += length
    return takes


def _recorder(dice: np.random.Generator, takes: list[Take]) -> tuple[list[Capture], dict[Key, Curves | None]]:
    known: dict[Key, Curves | None] = {}
    snr, drift = dice.choice(_SNRS), dice.uniform(-50, 50)
    captures = []
    for number, take in enumerate(takes):
        own = take.sound[int(_ROOM * RATE) : int((_ROOM + take.length) * RATE)]
        captures.append(_capture("recorder", number, Kind.SOUND, take.begin, take.length))
        known[_key(captures[-1])] = _curves(_heard(dice, own, snr, drift))
    return captures, known


def _device(
    dice: np.random.Generator, air: Air, takes: list[Take], key: str, known: dict[Key, Curves | None]
) -> tuple[int, float, list[Capture]]:
    """How many of its clips share eight seconds with a take, what its clock is off by, and its clips."""
    snr, drift, shift = dice.choice(_SNRS), dice.uniform(-50, 50), dice.uniform(-14 * 3600, 14 * 3600)
    share = dice.choice([0.0, 0.0, 0.1, 0.3, 0.6])
    shared, captures = 0, []
    for number in range(15):
        length = dice.uniform(10, 90)
        if dice.random() < share:
            take = takes[dice.integers(len(takes))]
            at = dice.uniform(-0.3 * length, take.length - 0.7 * length)
            begin = take.begin + at
            first = int((at + _ROOM) * RATE)
            own = take.sound[first : first + int(length * RATE)]
            shared += min(begin + length, take.begin + take.length) - max(begin, take.begin) >= 8
        else:
            begin = _elsewhere(dice, takes, length)
            own = _sound(dice, air, length, begin)
        captures.append(_capture(key, number, Kind.CLIP, begin + shift, length))
        known[_key(captures[-1])] = _curves(_heard(dice, own, snr, drift))
    return shared, shift, captures


def _elsewhere(dice: np.random.Generator, takes: list[Take], length: float) -> float:
    """A moment at which the recorder does not run."""
    while True:
        at = float(dice.uniform(0, takes[-1].begin + takes[-1].length + 3600))
        if not any(take.begin - length < at < take.begin + take.length for take in takes):
            return at


def _capture(device: str, number: int, kind: Kind, seconds: float, length: float) -> Capture:
    """A capture whose clock tells whole seconds."""
    local = (_MORNING + timedelta(seconds=seconds)).replace(microsecond=0)
    file = SourceFile(f"/{device}/{number:03}", f"/{device}", int(length * 1000), 0)
    moment = Moment(local, None, Precision.SECOND, Trust.SURE, -1, "")
    return Capture((ReadFile(file, Reading(kind, "wav", (), duration=length), moment),), moment, device)


def _key(capture: Capture) -> Key:
    file = capture.primary.file
    return file.path, file.size, file.mtime_ns


def _curves(samples: Floats) -> Curves | None:
    ear = Ear()
    ear.take(samples)
    return ear.curves()


def _sentence(dice: np.random.Generator) -> Floats:
    """A dozen syllables of one voice: harmonics under two formants, with a hiss before some."""
    pitch, parts = dice.uniform(90, 230), []
    for _ in range(dice.integers(5, 16)):
        count = int(dice.uniform(0.1, 0.3) * RATE)
        when = np.arange(count) / RATE
        course = pitch * (1 + dice.uniform(-0.15, 0.15) + dice.uniform(-0.1, 0.1) * when)
        phase = 2 * np.pi * np.cumsum(course) / RATE
        first, second = dice.uniform(280, 850), dice.uniform(900, 2500)
        voice = np.zeros(count)
        for number in range(1, int(3600 / pitch)):
            tone = number * pitch
            level = np.exp(-(((tone - first) / 150) ** 2)) + 0.5 * np.exp(-(((tone - second) / 250) ** 2)) + 0.02
            voice += level * np.sin(number * phase)
        parts.append(voice * np.sin(np.pi * np.arange(count) / count) ** 0.5 * dice.uniform(0.5, 1.3))
        if dice.random() < 0.4:
            hiss = dice.standard_normal(int(dice.uniform(0.04, 0.12) * RATE))
            parts.append(np.diff(hiss, prepend=0.0) * 0.3)
        if dice.random() < 0.25:
            parts.append(np.zeros(int(dice.uniform(0.03, 0.15) * RATE)))
    spoken = np.concatenate(parts)
    return (spoken / np.sqrt(np.mean(spoken * spoken)) * 0.05).astype(_F32)


def _tune(dice: np.random.Generator, seconds: float) -> Floats:
    sound, at, beat = np.zeros(int(seconds * RATE), _F32), 0.0, dice.uniform(0.22, 0.4)
    scale = 220 * 2 ** (np.array([0, 2, 4, 7, 9, 12, 14, 16]) / 12)
    when = np.arange(RATE) / RATE
    while at < seconds - 1.1:
        tone = dice.choice(scale) * dice.choice([1, 0.5])
        note = sum(np.sin(2 * np.pi * tone * number * when) / number for number in (1, 2, 3, 4))
        sound[int(at * RATE) :][:RATE] += (0.06 * note * np.exp(-when * dice.uniform(3, 7))).astype(_F32)
        at += beat * dice.choice([1, 1, 2])
    return sound


def _sound(dice: np.random.Generator, air: Air, seconds: float, at: float) -> Floats:
    """What is to be heard from a moment on: scenes of 20 to 180 s one after the other, or a tape on a loop."""
    count = int(seconds * RATE)
    sound = dice.standard_normal(count).astype(_F32) * _F32(3e-4)
    if air.loop is not None:
        return sound + np.resize(np.roll(air.loop, -int(at * RATE)), count)
    begin = 0
    while begin < count:
        end = min(count, begin + int(dice.uniform(20, 180) * RATE))
        _play(dice, air, str(dice.choice(_SCENES, p=air.odds)), sound[begin:end])
        begin = end
    return sound


def _play(dice: np.random.Generator, air: Air, scene: str, sound: Floats) -> None:
    count = len(sound)
    at = 0
    while "talk" in scene and at < count:
        said = air.talk[dice.integers(len(air.talk))]
        # No two sentences are ever the same sound.
        said = np.interp(np.arange(0, len(said) - 1, dice.uniform(0.85, 1.18)), np.arange(len(said)), said).astype(_F32)
        said = said[: count - at]
        sound[at : at + len(said)] += said * _F32(dice.uniform(0.5, 1.5))
        at += len(said) + int(RATE * dice.exponential(0.8))
    if scene == "tune":
        tune = air.tunes[dice.integers(len(air.tunes))][:count]
        sound[: len(tune)] += tune
    if scene == "hammer":
        for blow in np.arange(0, count, air.beat * RATE).astype(int):
            sound[blow : blow + 1600] += air.blow[: max(0, count - blow)][:1600]
    if "hum" in scene:
        when = np.arange(count) / RATE
        marks = np.arange(0, when[-1] + 8, 4)
        wander = np.interp(when, marks, dice.normal(28, 0.4, len(marks)))
        phase = 2 * np.pi * np.cumsum(wander) / RATE
        sound += (0.02 * sum(np.sin(phase * number) / number**0.7 for number in (2, 4, 6, 9, 13))).astype(_F32)


def _heard(dice: np.random.Generator, sound: Floats, snr: float, drift: float) -> Floats:
    """What a device makes of it: drift, room, noise, wind, a gain that follows, clipping, 16 bits."""
    count = int((len(sound) - 2) * (1 + drift * 1e-6))
    own = np.interp(np.arange(count) / (1 + drift * 1e-6), np.arange(len(sound)), sound).astype(_F32)
    tail = int(RATE * dice.uniform(0.1, 0.4))
    room = dice.standard_normal(tail) * np.exp(-6.9 * np.arange(tail) / tail) * 10 ** (-dice.uniform(0, 9) / 20)
    room /= np.sqrt(np.sum(np.exp(-13.8 * np.arange(tail) / tail)))
    room[0] += 1
    own = signal.oaconvolve(own, room.astype(_F32))[:count]
    own = own + dice.standard_normal(count).astype(_F32) * _F32(0.05 * 10 ** (-snr / 20))
    if dice.random() < 0.3:
        gusts = np.interp(np.arange(count), np.arange(0, count + 2 * RATE, RATE), _gusts(dice, count))
        own = own + 0.02 * gusts * signal.lfilter([1.0], [1, -0.93], dice.standard_normal(count))
    gain: Any = 10 ** (dice.uniform(-12, 12) / 20)
    if dice.random() < 0.5:
        loud = np.abs(own)[: count // 800 * 800].reshape(-1, 800).mean(1)
        loud = signal.lfilter([0.02], [1, -0.98], loud, zi=[0.98 * loud.mean()])[0]
        gain = gain * np.interp(np.arange(count), np.arange(len(loud)) * 800, (0.03 / (loud + 0.004)) ** 0.7)
    top = 0.35 if dice.random() < 0.3 else 1.0
    return (np.round(np.clip(own * gain, -top, top) * 32767) / 32767).astype(_F32)


def _gusts(dice: np.random.Generator, count: int) -> NDArray[np.float64]:
    return np.exp(dice.normal(-1, 1.3, len(np.arange(0, count + 2 * RATE, RATE))))
