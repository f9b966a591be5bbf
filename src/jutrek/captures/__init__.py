"""Captures: moments decided from claims, files tied together, devices told apart."""

from jutrek.captures.capture import Capture, Device, ReadFile
from jutrek.captures.devices import assign, main_device
from jutrek.captures.grouping import device_key, group, order
from jutrek.captures.moment import Moment, Trust, decide, doubtful

__all__ = [
    "Capture",
    "Device",
    "Moment",
    "ReadFile",
    "Trust",
    "assign",
    "decide",
    "device_key",
    "doubtful",
    "group",
    "main_device",
    "order",
]
