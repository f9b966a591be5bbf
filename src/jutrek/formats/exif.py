"""Exif: dates, device, exposure and position from TIFF directories, be they in a file of their own or in another.

Follows Exif 2.32 section 4.6 (tags), DNG 1.6 (camera serial number) and TIFF/EP (time zone offset). 0x0132 is the
time of the last change; where the device wrote the file and nobody changed it since, that is when it was made.
Satellite date and time are UTC; 0x9010 belongs to 0x0132 alone.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import timedelta

from jutrek.errors import BrokenFile
from jutrek.formats import iptc, xmp
from jutrek.formats.directories import Directory, Tiff
from jutrek.formats.draft import Draft
from jutrek.formats.reading import UTC_BY_DEFINITION, Exposure, Stretch, Timestamp
from jutrek.formats.span import NOWHERE, Span
from jutrek.formats.timestamps import parse

MAX_XMP = 512 * 1024
MAX_IPTC = 64 * 1024

MAKE, MODEL, ORIENTATION, CHANGED, EXIF, GPS = 0x010F, 0x0110, 0x0112, 0x0132, 0x8769, 0x8825
_SOFTWARE = 0x0131
_SHORT = 3
COMPRESSION, STRIPS, STRIP_SIZES, JPEG_AT, JPEG_SIZE = 0x0103, 0x0111, 0x0117, 0x0201, 0x0202
XMP_PACKET, IPTC_BLOCK, RESOURCES = 0x02BC, 0x83BB, 0x8649
_ORIGINAL, _DIGITIZED, _ZONE_HOURS, _MAKER_NOTE = 0x9003, 0x9004, 0x882A, 0x927C
_OFFSET_CHANGED, _OFFSET_ORIGINAL, _OFFSET_DIGITIZED = 0x9010, 0x9011, 0x9012
_FRACTION_CHANGED, _FRACTION_ORIGINAL, _FRACTION_DIGITIZED = 0x9290, 0x9291, 0x9292
_OWNER, _BODY_SERIAL, _LENS, _DNG_SERIAL, _DNG_MODEL, _IMAGE_ID = 0xA430, 0xA431, 0xA434, 0xC62F, 0xC614, 0xA420
_SECONDS, _APERTURE, _SPEED, _FOCAL_LENGTH = 0x829A, 0x829D, 0x8827, 0x920A
_LAT_REF, _LAT, _LON_REF, _LON, _GPS_TIME, _GPS_DATE = 1, 2, 3, 4, 7, 0x1D

_DATES = (
    ("exif:original", _ORIGINAL, _FRACTION_ORIGINAL, _OFFSET_ORIGINAL, "the camera's time of shooting"),
    ("exif:digitized", _DIGITIZED, _FRACTION_DIGITIZED, _OFFSET_DIGITIZED, "the second date from the camera"),
    ("exif:changed", CHANGED, _FRACTION_CHANGED, _OFFSET_CHANGED, "the time of the last change"),
)
_ARTIST, _COPYRIGHT = 0x013B, 0x8298
_MAIN_TEXTS = frozenset({
    MAKE, MODEL, _SOFTWARE, _DNG_MODEL, _DNG_SERIAL, _ARTIST, _COPYRIGHT, *(tag for _, tag, *_ in _DATES),
})  # fmt: skip
_EXIF_TEXTS = frozenset({_BODY_SERIAL, _LENS, _OWNER, _IMAGE_ID}).union(*(row[1:4] for row in _DATES))
_PHONE_NOTE = b"Apple iOS\0"
_PHONE_TIES = ((0x0011, "content"), (0x000B, "burst"))


def read_block(span: Span, draft: Draft) -> None:
    """Read an Exif block: a TIFF structure inside another format.

    Raises:
        BrokenFile: when it is no such structure, or damaged from the start.
    """
    tiff = Tiff.opened(span)
    for number, entries in enumerate(tiff.chain(tiff.first)):
        if number == 0:
            read_main(tiff, entries, draft)
        preview(tiff, entries, draft)


def find_block(span: Span, draft: Draft) -> bool:
    """Look for an Exif block within a maker's box of unknown layout, and read it. True where there was one."""
    data = span.upto(0, 65_536)
    for mark in (b"II*\0", b"MM\0*"):
        at = data.find(mark)
        if at >= 0:
            with draft.sparing("The maker's own data are"):
                read_block(span.rest(at), draft)
                return True
    return False


def read_main(tiff: Tiff, entries: Directory, draft: Draft) -> None:
    """Read the first directory and those that it points to."""
    orientation = tiff.number(entries, ORIENTATION, 1)
    if 1 <= orientation <= 8:
        draft.orientation = orientation
    told = entries.get(ORIENTATION)
    if told is not None and told[1:3] == (_SHORT, 1) and (at := tiff.stands(tiff.first, ORIENTATION)) != NOWHERE:
        draft.orientation_at.append(at)
    exif: Directory = {}
    if pointer := tiff.number(entries, EXIF):
        try:
            exif = tiff.one(pointer)
        except BrokenFile as damage:
            draft.note(f"The camera's data are damaged. {damage}")
    _shooting(tiff, entries, exif, draft)
    if pointer := tiff.number(entries, GPS):
        try:
            _satellite(tiff, tiff.one(pointer), draft)
        except BrokenFile as damage:
            draft.note(f"The GPS data are damaged. {damage}")
    if packet := tiff.raw(entries, XMP_PACKET, MAX_XMP):
        xmp.read(packet, draft)
    if IPTC_BLOCK in entries or RESOURCES in entries:
        _press_data(tiff, entries, draft)


def read_exif(tiff: Tiff, draft: Draft) -> None:
    """Read a structure whose first directory is an Exif directory itself."""
    _shooting(tiff, {}, tiff.one(tiff.first), draft)


def read_satellite(tiff: Tiff, draft: Draft) -> None:
    """Read a structure whose first directory is a satellite directory itself."""
    _satellite(tiff, tiff.one(tiff.first), draft)


def _shooting(tiff: Tiff, entries: Directory, exif: Directory, draft: Draft) -> None:
    """Dates, device and exposure, from the first directory and the Exif directory."""
    main, texts = tiff.texts(entries, _MAIN_TEXTS), tiff.texts(exif, _EXIF_TEXTS)
    draft.make = draft.make or main.get(MAKE, "")
    draft.model = draft.model or main.get(MODEL, "") or main.get(_DNG_MODEL, "")
    draft.serial = draft.serial or texts.get(_BODY_SERIAL, "") or main.get(_DNG_SERIAL, "")
    draft.lens = draft.lens or texts.get(_LENS, "")
    draft.owner = draft.owner or texts.get(_OWNER, "")
    if _ARTIST in main:
        draft.worded("creator", main[_ARTIST])
    if _COPYRIGHT in main:
        draft.worded("rights", main[_COPYRIGHT])
    if _IMAGE_ID in texts:
        draft.tie("image", texts[_IMAGE_ID].strip("0"))
    for at, tag, fraction, offset, words in _DATES:
        raw = texts.get(tag) or main.get(tag)
        if raw:
            zone = texts.get(offset, "")
            if not zone and tag == _ORIGINAL and _ZONE_HOURS in exif:
                zone = "".join(f"{hours:+d}" for hours in tiff.numbers(exif, _ZONE_HOURS, 1))
            if tag == CHANGED and _is_of_the_device(main):
                at, words = "exif:stamped", "the time that the camera put on it"  # noqa: PLW2901
            draft.claim(at, parse(raw, texts.get(fraction, ""), zone), words, raw)
    if draft.exposure is None and (_SECONDS in exif or _APERTURE in exif or _SPEED in exif):
        draft.exposure = Exposure(
            tiff.fraction(exif, _SECONDS),
            tiff.fraction(exif, _APERTURE),
            tiff.number(exif, _SPEED),
            tiff.fraction(exif, _FOCAL_LENGTH),
        )
    if _MAKER_NOTE in exif:
        _phone_note(tiff, tiff.stretch(exif, _MAKER_NOTE), draft)


_FIRMWARE = re.compile(r"[\W\d_]+|\b(?:v|ver|version|firmware|fw|rev|digital|camera)\b|\b\w{1,2}\b", re.IGNORECASE)
"""What may stand in the name of a device's own software besides its make and model."""


def _is_of_the_device(main: Mapping[int, str]) -> bool:
    """Whether a device wrote the file as it is: it names itself, and what software it names is its own firmware."""
    names = f"{main.get(MAKE, '')} {main.get(MODEL, '')}".casefold().split()
    software = main.get(_SOFTWARE, "").casefold()
    for name in names:
        software = software.replace(name, " ")
    return bool(names) and not _FIRMWARE.sub("", software)


def _phone_note(tiff: Tiff, place: tuple[int, int] | None, draft: Draft) -> None:
    """The maker note of one family of phones: a directory at 14, its offsets counted from the note's start."""
    if place is None or place[1] < len(_PHONE_NOTE) or place[0] + place[1] > tiff.span.size:
        return
    at, size = place
    if tiff.span.read(at, len(_PHONE_NOTE)) != _PHONE_NOTE:
        return
    with draft.sparing("The maker's note is"):
        note = Tiff(tiff.span.part(at, size), ">", first=14)
        entries = note.one(note.first)
        for tag, kind in _PHONE_TIES:
            draft.tie(kind, note.text(entries, tag))


def _satellite(tiff: Tiff, entries: Directory, draft: Draft) -> None:
    """Exif 2.32, 4.6.6: date and time are UTC, coordinates are degrees, minutes, seconds."""
    day, clock = parse(tiff.text(entries, _GPS_DATE)), tiff.rationals(entries, _GPS_TIME, 3)
    if day and clock and 0 <= clock[0] < 24 and 0 <= clock[1] < 60 and 0 <= clock[2] < 60:
        # Some writers give hours with a fraction and no minutes.
        since_midnight = timedelta(seconds=int(clock[0] * 3600 + clock[1] * 60 + clock[2]))
        wall = day.wall.replace(hour=0, minute=0, second=0, microsecond=0) + since_midnight
        draft.claim("gps", Timestamp(wall, offset=UTC_BY_DEFINITION), "GPS time", wall.isoformat(" "))
    south_north, west_east = tiff.rationals(entries, _LAT, 3), tiff.rationals(entries, _LON, 3)
    if south_north and west_east:
        lat = sum(part / 60**power for power, part in enumerate(south_north))
        lon = sum(part / 60**power for power, part in enumerate(west_east))
        lat = -lat if tiff.text(entries, _LAT_REF) == "S" else lat
        lon = -lon if tiff.text(entries, _LON_REF) == "W" else lon
        if abs(lat) <= 90 and abs(lon) <= 180:
            draft.position = (lat, lon)


def _press_data(tiff: Tiff, entries: Directory, draft: Draft) -> None:
    """IPTC as writers of TIFF keep it: bare, also typed as 32-bit words, or within image resources."""
    block = tiff.stretch(entries, IPTC_BLOCK)
    if block is not None and block[1] <= MAX_IPTC:
        with draft.sparing("The press data are"):
            iptc.read(tiff.span.read(*block), draft)
    if resources := tiff.raw(entries, RESOURCES, MAX_IPTC):
        with draft.sparing("The press data are"):
            iptc.read_resources(resources, draft)


def preview(tiff: Tiff, entries: Directory, draft: Draft) -> None:
    """An embedded JPEG: by its own tags, or as the only strip of a directory with JPEG compression."""
    if JPEG_SIZE not in entries and STRIPS not in entries:
        return
    offset, size = tiff.number(entries, JPEG_AT), tiff.number(entries, JPEG_SIZE)
    strips = entries.get(STRIPS)
    if not size and strips and strips[2] == 1 and tiff.number(entries, COMPRESSION) in (6, 7):
        offset, size = tiff.number(entries, STRIPS), tiff.number(entries, STRIP_SIZES)
    origin = tiff.span.where(offset)
    if origin < 0 or not 2 < size <= tiff.span.size - offset:
        return
    if tiff.span.read(offset, 2) == b"\xff\xd8":
        draft.preview(Stretch(origin, size))
