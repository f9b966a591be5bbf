"""SRT: the subtitle files that drones write beside a clip, with a date and a position for every frame.

SubRip: a number, a line of times with `-->`, lines of text. The date's spelling and the position's differ by maker:
`2026-05-14 10:26:13.420`, `2026.05.14 10:26:13`; `[latitude: 46.5] [longitude: 7.2]`, `GPS(7.2,46.5,18)`.
"""

from __future__ import annotations

import re

from jutrek.formats.draft import Draft
from jutrek.formats.span import Span
from jutrek.formats.timestamps import parse

BEGINNING, TAIL = 4096, 2048

_START = re.compile(rb"\A(?:\xef\xbb\xbf)?\s*\d{1,6}\s*\r?\n\s*\d\d:\d\d:\d\d[,.]\d{1,3}\s*-->")
_DATE = re.compile(r"\b(\d{4}[-./]\d{2}[-./]\d{2}[ T]\d{2}:\d{2}:\d{2})(?:[.,:](\d{3}))?")
_NAMED = re.compile(r"latitude\s*:\s*(-?\d+\.\d+).{0,20}?long?i?tude\s*:\s*(-?\d+\.\d+)")
_GPS = re.compile(r"GPS\s*\(\s*(-?\d+\.\d+)\s*,\s*(-?\d+\.\d+)")
_END = re.compile(r"-->\s*(\d\d):(\d\d):(\d\d)[,.](\d{1,3})")


def starts(head: bytes, _: int) -> bool:
    """Whether a text begins with a numbered line of times."""
    return _START.match(head) is not None


def read(span: Span, draft: Draft) -> None:
    """Read the first frames, and the end of the last one."""
    head = span.upto(0, BEGINNING).decode("utf-8", "replace")
    if found := _DATE.search(head):
        stamp = parse(found[1], fraction=found[2] or "")
        draft.claim("srt", stamp, "the drone's date in the subtitles", found[0])
    if found := _NAMED.search(head):
        _position(found[1], found[2], draft)
    elif found := _GPS.search(head):
        _position(found[2], found[1], draft)
    tail = span.read(max(0, span.size - TAIL), min(TAIL, span.size)).decode("utf-8", "replace")
    ends = _END.findall(tail)
    if ends:
        hours, minutes, seconds, fraction = ends[-1]
        draft.duration = int(hours) * 3600 + int(minutes) * 60 + int(seconds) + int(fraction.ljust(3, "0")) / 1000


def _position(lat: str, lon: str, draft: Draft) -> None:
    if abs(float(lat)) <= 90 and abs(float(lon)) <= 180 and (float(lat) or float(lon)):
        draft.position = (float(lat), float(lon))
