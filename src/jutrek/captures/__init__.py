"""Captures: moments decided from claims, files tied together, devices told apart."""

from jutrek.captures.capture import Capture, Device, ReadFile
from jutrek.captures.deciding import decided
from jutrek.captures.devices import assign, main_device
from jutrek.captures.grouping import device_key, group, order
from jutrek.captures.moment import LADDER, Moment, Rung, Trust, decide, doubtful
from jutrek.captures.zones import Habits, Surroundings

__all__ = [
    "LADDER",
    "Capture",
    "Device",
    "Habits",
    "Moment",
    "ReadFile",
    "Rung",
    "Surroundings",
    "Trust",
    "assign",
    "decide",
    "decided",
    "device_key",
    "doubtful",
    "group",
    "main_device",
    "order",
]
