"""Captures: moments decided from claims, files tied together, devices told apart, clocks put right, days and shoots."""

from jutrek.captures.capture import Capture, Device, ReadFile, counter_of
from jutrek.captures.companions import (
    SAME_PRESS,
    developed_beside_raw,
    named_after,
    tied,
    turn,
    without_edit,
)
from jutrek.captures.deciding import Said, decided
from jutrek.captures.decisions import Change, Decisions, Say, ShiftClock, ShiftClocks, TakeAsItIs
from jutrek.captures.devices import assign, device_key, main_device
from jutrek.captures.doubts import Certainty, Doubt, find_doubts, held
from jutrek.captures.grouping import group, order
from jutrek.captures.heard import Beside, Heard, Waves, beside_of
from jutrek.captures.journeys import Journeys
from jutrek.captures.moment import LADDER, RUNGS, Doubtful, Moment, Rung, Trust, decide, doubtful
from jutrek.captures.proposal import Proposal
from jutrek.captures.proposing import propose
from jutrek.captures.series import stacked
from jutrek.captures.settling import settled, shift_words
from jutrek.captures.shoots import Shoot, filing_day, shoots_of
from jutrek.captures.zones import Habits, Surroundings

__all__ = [
    "LADDER",
    "RUNGS",
    "SAME_PRESS",
    "Beside",
    "Capture",
    "Certainty",
    "Change",
    "Decisions",
    "Device",
    "Doubt",
    "Doubtful",
    "Habits",
    "Heard",
    "Journeys",
    "Moment",
    "Proposal",
    "ReadFile",
    "Rung",
    "Said",
    "Say",
    "ShiftClock",
    "ShiftClocks",
    "Shoot",
    "Surroundings",
    "TakeAsItIs",
    "Trust",
    "Waves",
    "assign",
    "beside_of",
    "counter_of",
    "decide",
    "decided",
    "developed_beside_raw",
    "device_key",
    "doubtful",
    "filing_day",
    "find_doubts",
    "group",
    "held",
    "main_device",
    "named_after",
    "order",
    "propose",
    "settled",
    "shift_words",
    "shoots_of",
    "stacked",
    "tied",
    "turn",
    "without_edit",
]
