"""TIFF structures: Exif inside other formats, and TIFF, DNG and the raws built on TIFF.

Follows TIFF 6.0 section 2 (header, image file directories), BigTIFF (magic 43), Exif 2.32 section 4.6 (tags) and
DNG 1.6 (private tags). Directories may loop and point anywhere: visited offsets are remembered and counted.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from typing import NamedTuple

from jutrek.errors import BrokenFile
from jutrek.formats import xmp
from jutrek.formats.reading import UTC_BY_DEFINITION, Draft, Kind, Stamp, Stretch
from jutrek.formats.span import Span
from jutrek.formats.stamps import parse

MAX_DIRECTORIES = 24
MAX_ENTRIES = 2000
MAX_TEXT = 4096
MAX_XMP = 1024 * 1024

MAKE, MODEL, ORIENTATION, CHANGED, EXIF, GPS = 0x010F, 0x0110, 0x0112, 0x0132, 0x8769, 0x8825
WIDTH, HEIGHT, COMPRESSION, STRIPS, STRIP_SIZES = 0x0100, 0x0101, 0x0103, 0x0111, 0x0117
JPEG_AT, JPEG_SIZE, SUB_DIRECTORIES, XMP_PACKET = 0x0201, 0x0202, 0x014A, 0x02BC
ORIGINAL, DIGITIZED = 0x9003, 0x9004
OFFSET_CHANGED, OFFSET_ORIGINAL, OFFSET_DIGITIZED = 0x9010, 0x9011, 0x9012
FRACTION_CHANGED, FRACTION_ORIGINAL, FRACTION_DIGITIZED = 0x9290, 0x9291, 0x9292
BODY_SERIAL, DNG_VERSION, DNG_SERIAL = 0xA431, 0xC612, 0xC62F
GPS_LAT_REF, GPS_LAT, GPS_LON_REF, GPS_LON, GPS_TIME, GPS_DATE = 1, 2, 3, 4, 7, 0x1D

_SIZES = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8, 13: 4, 16: 8, 17: 8, 18: 8}
_INTEGERS = {1: "B", 3: "H", 4: "I", 13: "I", 16: "Q", 18: "Q"}
RAWS = frozenset({"dng", "cr2", "nef", "nrw", "arw", "sr2", "pef", "srw", "3fr", "erf", "mef", "mos", "iiq", "dcr"})

_DATES = (
    ("exif:original", ORIGINAL, FRACTION_ORIGINAL, OFFSET_ORIGINAL, "the camera's time of shooting"),
    ("exif:digitized", DIGITIZED, FRACTION_DIGITIZED, OFFSET_DIGITIZED, "the camera's time of digitizing"),
    ("exif:changed", CHANGED, FRACTION_CHANGED, OFFSET_CHANGED, "the time of the last change"),
)


_WANTED = frozenset({
    MAKE, MODEL, ORIENTATION, CHANGED, EXIF, GPS, WIDTH, HEIGHT, COMPRESSION, STRIPS, STRIP_SIZES, JPEG_AT, JPEG_SIZE,
    SUB_DIRECTORIES, XMP_PACKET, ORIGINAL, DIGITIZED, OFFSET_CHANGED, OFFSET_ORIGINAL, OFFSET_DIGITIZED,
    FRACTION_CHANGED, FRACTION_ORIGINAL, FRACTION_DIGITIZED, BODY_SERIAL, DNG_VERSION, DNG_SERIAL,
    GPS_LAT_REF, GPS_LAT, GPS_LON_REF, GPS_LON, GPS_TIME, GPS_DATE,
})  # fmt: skip


class Entry(NamedTuple):
    """A directory entry: its type, how many values it has, and where its value stands within the TIFF structure."""

    type: int
    many: int
    at: int


Directory = dict[int, Entry]


class Tiff:
    """A TIFF structure: byte order, and directories by offset."""

    def __init__(self, span: Span) -> None:
        """Read the header.

        Raises:
            BrokenFile: when it is not a TIFF header.
        """
        head = span.read(0, 8)
        order = {b"II": "<", b"MM": ">"}.get(head[:2])
        if order is None:
            raise BrokenFile(span.start, "a TIFF byte order", repr(head[:2]))
        self.span = span
        self.order = order
        self.big = struct.unpack(order + "H", head[2:4])[0] == 43
        self._counter = struct.Struct(order + ("Q" if self.big else "H"))
        self._word = struct.Struct(order + ("Q" if self.big else "I"))
        self._entry = struct.Struct(order + ("HHQQ" if self.big else "HHII"))
        self._seen: set[int] = set()
        self.first = self._word.unpack(span.read(8, 8))[0] if self.big else self._word.unpack(head[4:8])[0]

    def chain(self, offset: int) -> Iterator[Directory]:
        """Directories from `offset` on, until the chain ends, loops or grows too long."""
        while offset and offset not in self._seen and len(self._seen) < MAX_DIRECTORIES:
            self._seen.add(offset)
            entries, offset = self._directory(offset)
            yield entries

    def one(self, offset: int) -> Directory:
        """The single directory at `offset`; empty when it was visited before."""
        return next(self.chain(offset), {})

    def _directory(self, offset: int) -> tuple[Directory, int]:
        (count,) = self.span.unpack(self._counter, offset)
        if count > MAX_ENTRIES:
            raise BrokenFile(self.span.start + offset, f"at most {MAX_ENTRIES} entries", str(count))
        start = offset + self._counter.size
        table = self.span.read(start, count * self._entry.size)
        inline = 8 if self.big else 4
        entries: Directory = {}
        at = start - inline
        for tag, kind, many, value in self._entry.iter_unpack(table):
            at += self._entry.size
            if tag in _WANTED:
                entries[tag] = Entry(kind, many, at if _SIZES.get(kind, 1) * many <= inline else value)
        end = start + len(table)
        following = self.span.unpack(self._word, end)[0] if end + self._word.size <= self.span.size else 0
        return entries, following

    def text(self, entries: Directory, tag: int) -> str:
        """A text value up to its first NUL, stripped; empty where absent or outside the file."""
        entry = entries.get(tag)
        if entry is None or entry.type not in (1, 2, 7) or not 0 < entry.many <= MAX_TEXT:
            return ""
        try:
            data = self.span.read(entry.at, entry.many)
        except BrokenFile:
            return ""
        return data.split(b"\0", 1)[0].decode("utf-8", "replace").strip()

    def number(self, entries: Directory, tag: int, default: int = 0) -> int:
        """The first integer of a value; `default` where absent or outside the file."""
        entry = entries.get(tag)
        letter = _INTEGERS.get(entry.type) if entry else None
        if entry is None or letter is None or entry.many < 1:
            return default
        try:
            form = struct.Struct(self.order + letter)
            return int(self.span.unpack(form, entry.at)[0])
        except BrokenFile:
            return default

    def rationals(self, entries: Directory, tag: int, count: int) -> tuple[float, ...] | None:
        """`count` unsigned rationals, or None where they are absent, outside the file or divided by zero."""
        entry = entries.get(tag)
        if entry is None or entry.type not in (5, 10) or entry.many < count:
            return None
        try:
            values = self.span.unpack(struct.Struct(f"{self.order}{2 * count}I"), entry.at)
        except BrokenFile:
            return None
        pairs = list(zip(values[::2], values[1::2], strict=True))
        return tuple(a / b for a, b in pairs) if all(b for _, b in pairs) else None


def read(span: Span, draft: Draft, suffix: str) -> None:
    """Read a TIFF file. Raws that share TIFF's signature are told apart by `suffix` (lower case, no dot)."""
    draft.kind, draft.format = Kind.STILL, suffix if suffix in RAWS else "tiff"
    read_exif(span, draft, whole_file=True)


def read_exif(span: Span, draft: Draft, *, whole_file: bool = False) -> None:
    """Read the claims and facts of a TIFF structure, be it a file or an Exif block in one."""
    tiff = Tiff(span)
    for number, entries in enumerate(tiff.chain(tiff.first)):
        if number == 0:
            _main(tiff, entries, draft)
            if whole_file:
                _file_facts(tiff, entries, draft)
        _preview(tiff, entries, draft)


def _main(tiff: Tiff, entries: Directory, draft: Draft) -> None:
    draft.make = draft.make or tiff.text(entries, MAKE)
    draft.model = draft.model or tiff.text(entries, MODEL)
    draft.orientation = orientation if 1 <= (orientation := tiff.number(entries, ORIENTATION, 1)) <= 8 else 1
    exif: Directory = {}
    if pointer := tiff.number(entries, EXIF):
        try:
            exif = tiff.one(pointer)
        except BrokenFile as damage:
            draft.notes.append(f"The camera's data are damaged. {damage}")
    draft.serial = draft.serial or tiff.text(exif, BODY_SERIAL) or tiff.text(entries, DNG_SERIAL)
    for at, tag, fraction, offset, words in _DATES:
        raw = tiff.text(exif if tag in exif else entries, tag)
        if raw:
            stamp = parse(raw, fraction=tiff.text(exif, fraction), offset=tiff.text(exif, offset))
            draft.claim(at, stamp, words, raw)
    if pointer := tiff.number(entries, GPS):
        try:
            _satellite(tiff, tiff.one(pointer), draft)
        except BrokenFile as damage:
            draft.notes.append(f"The satellite data are damaged. {damage}")
    packet = entries.get(XMP_PACKET)
    if packet is not None and packet.many <= MAX_XMP:
        xmp.read(tiff.span.read(packet.at, packet.many), draft)


def _satellite(tiff: Tiff, entries: Directory, draft: Draft) -> None:
    """Exif 2.32, 4.6.6: date and time are UTC, coordinates are degrees, minutes, seconds."""
    day, clock = parse(tiff.text(entries, GPS_DATE)), tiff.rationals(entries, GPS_TIME, 3)
    if day and clock and clock[0] < 24 and clock[1] < 60 and clock[2] < 60:
        wall = day.wall.replace(hour=int(clock[0]), minute=int(clock[1]), second=int(clock[2]))
        draft.claim("gps", Stamp(wall, offset=UTC_BY_DEFINITION), "satellite time", wall.isoformat(" "))
    south_north, west_east = tiff.rationals(entries, GPS_LAT, 3), tiff.rationals(entries, GPS_LON, 3)
    if south_north and west_east:
        lat = sum(part / 60**power for power, part in enumerate(south_north))
        lon = sum(part / 60**power for power, part in enumerate(west_east))
        lat = -lat if tiff.text(entries, GPS_LAT_REF) == "S" else lat
        lon = -lon if tiff.text(entries, GPS_LON_REF) == "W" else lon
        if abs(lat) <= 90 and abs(lon) <= 180:
            draft.position = (lat, lon)


def _file_facts(tiff: Tiff, entries: Directory, draft: Draft) -> None:
    draft.width, draft.height = tiff.number(entries, WIDTH), tiff.number(entries, HEIGHT)
    if DNG_VERSION in entries:
        draft.format = "dng"
    subs = entries.get(SUB_DIRECTORIES)
    if subs is None or not 0 < subs.many <= 8:
        return
    width = 8 if tiff.big else 4
    for number in range(subs.many):
        at = subs.at + number * width
        (offset,) = tiff.span.unpack(struct.Struct(tiff.order + ("Q" if tiff.big else "I")), at)
        sub = tiff.one(offset)
        draft.width = max(draft.width, tiff.number(sub, WIDTH))
        draft.height = max(draft.height, tiff.number(sub, HEIGHT))
        _preview(tiff, sub, draft)


def _preview(tiff: Tiff, entries: Directory, draft: Draft) -> None:
    """The largest embedded JPEG: by its own tags, or as the only strip of a directory with JPEG compression."""
    offset, size = tiff.number(entries, JPEG_AT), tiff.number(entries, JPEG_SIZE)
    strips = entries.get(STRIPS)
    if not size and strips and strips.many == 1 and tiff.number(entries, COMPRESSION) in (6, 7):
        offset, size = tiff.number(entries, STRIPS), tiff.number(entries, STRIP_SIZES)
    if not 0 < size <= tiff.span.size - offset or tiff.span.read(offset, min(2, size)) != b"\xff\xd8":
        return
    if draft.preview is None or size > draft.preview.size:
        draft.preview = Stretch(tiff.span.start + offset, size)
