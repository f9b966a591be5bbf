"""How well clocks are lined up: made-up days with known shifts, from a seed.

A day has happenings around a few busy hours. Each device is at some of them and makes a few captures there, at any
moment of it; a clip begins with the happening, a take of sound holds all of it. Beside these every device makes
captures of its own that nobody shares. Clocks that are right still differ by some seconds. One device is shifted, or
none is.

A day is **solvable** when the shifted device was at no less than eight happenings together with another one, and
somebody can tell who is right: there are three devices, or one knows satellite time. The figures that matter: how many
of the claims that are called certain are within 60 s of the truth, and in how many solvable days there is such a claim.
"""

from __future__ import annotations

import time
from dataclasses import dataclass

import numpy as np

from jutrek.captures.aligning import Activity, align_all

SEED, DAYS = 1925, 100
_WITHIN = 60.0


@dataclass(frozen=True, slots=True)
class Day:
    """A made-up day: what the devices did by their own clocks, whose is shifted, and what puts it right."""

    devices: dict[str, Activity]
    shifted: str
    truth: float
    shared: int

    @property
    def solvable(self) -> bool:
        """Whether what was shot can tell the shift."""
        known = len(self.devices) > 2 or any(one.anchor for one in self.devices.values())
        return bool(self.truth) and self.shared >= 8 and known


def make_day(dice: np.random.Generator) -> Day:
    """One day."""
    count = int(dice.integers(2, 6))
    dense = dice.random() < 0.5
    happenings = int(dice.integers(25, 81) if dense else dice.integers(6, 26))
    hearts = dice.uniform(8.5, 18.5, int(dice.integers(3, 7))) * 3600
    starts = np.sort(dice.normal(dice.choice(hearts, happenings), 2400).clip(7 * 3600, 21 * 3600))
    lengths = dice.exponential(90, happenings).clip(15, 400)
    kinds = ["stills", *dice.choice(["stills", "clips", "sound"], count - 1)]
    there = dice.random((count, happenings)) < dice.uniform(0.3, 0.8, count)[:, None]
    anchor = int(dice.integers(count)) if dice.random() < 0.5 else -1
    shifted = int(dice.choice([number for number in range(count) if number != anchor]))
    wrong = _shift(dice)
    devices = {}
    for number, kind in enumerate(kinds):
        own = _captures(kind, starts[there[number]], lengths[there[number]], dice)
        off = dice.uniform(-6, 6) - (wrong if number == shifted else 0.0)
        turn = np.argsort(own[0])
        devices[f"{number}"] = Activity(own[0][turn] + off, own[1][turn] + off, kind == "sound", number == anchor)
    together = there[shifted] & np.delete(there, shifted, axis=0).any(axis=0)
    return Day(devices, f"{shifted}", wrong, int(together.sum()))


def _shift(dice: np.random.Generator) -> float:
    """What puts the wrong clock right: an hour, a zone, odd minutes, days, or nothing."""
    roll, sign = dice.random(), float(dice.choice([-1, 1]))
    if roll < 0.35:
        return sign * 3600
    if roll < 0.55:
        return sign * 3600 * float(dice.integers(2, 13))
    if roll < 0.80:
        return float(round(sign * dice.uniform(120, 3 * 3600)))
    if roll < 0.90:
        return sign * 86_400 * float(dice.choice([1, 2, 31, 365]))
    return 0.0


def _captures(
    kind: str, starts: np.ndarray, lengths: np.ndarray, dice: np.random.Generator
) -> tuple[np.ndarray, np.ndarray]:
    alone = np.sort(dice.uniform(7.5, 20.5, dice.binomial(starts.size * 2 + 4, dice.uniform(0.1, 0.35))) * 3600)
    if kind == "sound":
        begin = np.concatenate((starts - dice.uniform(2, 8, starts.size), alone))
        long = np.concatenate((lengths + dice.uniform(4, 20, starts.size), dice.exponential(90, alone.size) + 10))
        return begin, begin + long
    if kind == "clips":
        begin = np.concatenate((starts + dice.uniform(0, 15, starts.size), alone))
        long = np.concatenate((lengths * dice.uniform(0.3, 0.95, starts.size), dice.exponential(60, alone.size) + 3))
        return begin, begin + long
    each = 1 + dice.poisson(2, starts.size)
    at = np.repeat(starts, each) + dice.random(int(each.sum())) * np.repeat(lengths, each)
    begin = np.concatenate((at, alone))
    return begin, begin


def judge(days: int = DAYS, seed: int = SEED) -> dict[str, int]:
    """Line up made-up days and count."""
    dice = np.random.default_rng(seed)
    counts = dict.fromkeys(("days", "solvable", "certain", "right", "solved", "likely", "likely right"), 0)
    for _ in range(days):
        day = make_day(dice)
        counts["days"] += 1
        counts["solvable"] += day.solvable
        solved = False
        for device, found, firm in align_all(day.devices):
            true = device == day.shifted and abs(found.seconds - day.truth) <= _WITHIN
            sure = found.certain and firm
            counts["certain" if sure else "likely"] += 1
            counts["right" if sure else "likely right"] += true
            solved |= sure and true
        counts["solved"] += day.solvable and solved
    return counts


def judge_strangers(days: int = DAYS, seed: int = SEED) -> tuple[int, int, int]:
    """Line up devices that shared nothing, on one to three days; every claim is wrong.

    Returns:
        Devices, claims that are called certain, and other questions.
    """
    dice = np.random.default_rng(seed)
    devices = certain = asked = 0
    for _ in range(days):
        several = int(dice.integers(1, 4))
        activities = {}
        for name in "abc":
            hearts, count = dice.uniform(8, 18, 4) * 3600, int(dice.integers(8, 60))
            each = [dice.normal(dice.choice(hearts, count), 2000) + 86_400 * day for day in range(several)]
            starts = np.sort(np.concatenate(each))
            activities[name] = Activity(starts, starts, anchor=name == "a")
        devices += 2
        for _, found, firm in align_all(activities):
            certain += found.certain and firm
            asked += not (found.certain and firm)
    return devices, certain, asked


def run() -> None:
    """Print how many claims are right."""
    began = time.perf_counter()
    for seed in (SEED, SEED + 1, SEED + 2, SEED + 3):
        counts = judge(seed=seed)
        print(
            f"seed {seed}: {counts['days']} days, {counts['solvable']} solvable · certain: {counts['right']} of "
            f"{counts['certain']} claims within 60 s · claimed in {counts['solved']} of the solvable days · "
            f"likely: {counts['likely right']} of {counts['likely']}"
        )
    print(f"{(time.perf_counter() - began) / 4 / DAYS * 1000:.0f} ms a day")
    devices, certain, asked = judge_strangers()
    print(f"of {devices} devices that shared nothing {certain} are called certain, {asked} asked about")
