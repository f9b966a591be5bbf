"""TIFF, BigTIFF, DNG and the raws built on TIFF, those with a magic number of their own included.

Follows TIFF 6.0, DNG 1.6 (SubIFDs, versions) and what makers write: raws are known by what their directories hold
(a colour filter array, makers' compressions, makers' marks behind the header) and named by the maker. The extension
only tells apart what nothing inside does.
"""

from __future__ import annotations

from jutrek.errors import BrokenFile
from jutrek.formats import exif, jpeg
from jutrek.formats.directories import Directory, Tiff
from jutrek.formats.draft import Draft
from jutrek.formats.reading import Stretch
from jutrek.formats.span import Span

MAX_SUB_DIRECTORIES = 8
MAX_STRETCHES = 16_384

_WIDTH, _HEIGHT, _PHOTOMETRIC, _SUB_DIRECTORIES = 0x0100, 0x0101, 0x0106, 0x014A
_TILES, _TILE_SIZES, _DNG_VERSION = 0x0144, 0x0145, 0xC612
_RW2_WIDTH, _RW2_HEIGHT, _RW2_JPEG, _RW2_DATA = 0x0002, 0x0003, 0x002E, 0x0118
_RAW_PHOTOMETRICS = frozenset({32803, 34892})
_RAW_COMPRESSIONS = frozenset({32767, 32769, 32770, 32772, 34713, 65000, 65535})

_BY_MAKER = (
    ("nikon", "nef"), ("sony", "arw"), ("pentax", "pef"), ("ricoh", "pef"), ("samsung", "srw"),
    ("hasselblad", "3fr"), ("epson", "erf"), ("mamiya", "mef"), ("leaf", "mos"), ("phase one", "iiq"),
    ("kodak", "dcr"), ("eastman kodak", "dcr"),
)  # fmt: skip
_MAGICS = {b"IIRO": "orf", b"IIRS": "orf", b"MMOR": "orf", b"IIU\0": "rw2"}
SIGNATURES = frozenset({b"II*\0", b"MM\0*", b"II+\0", b"MM\0+", *_MAGICS})


def read(span: Span, draft: Draft) -> None:
    """Read a TIFF file, or a raw that is one. Those that share everything but their name are told apart by it."""
    head = span.read(0, min(16, span.size))
    draft.format = _MAGICS.get(head[:4], "tiff")
    tiff = Tiff.opened(span)
    picture, rank = Directory(), (False, 0)
    for entries in _directories(tiff, draft):
        own = _is_raw(tiff, entries), tiff.number(entries, _WIDTH) * tiff.number(entries, _HEIGHT)
        if own > rank:
            picture, rank = entries, own
        exif.preview(tiff, entries, draft)
    if picture:
        draft.width, draft.height = tiff.number(picture, _WIDTH), tiff.number(picture, _HEIGHT)
        _payload(tiff, picture, draft)
    if draft.format == "tiff":
        draft.format = _named(head, draft, is_raw=rank[0])


def _directories(tiff: Tiff, draft: Draft) -> list[Directory]:
    """The chain and its SubIFDs. The first directory's claims are read on the way."""
    found: list[Directory] = []
    with draft.sparing("The directories are"):
        for number, entries in enumerate(tiff.chain(tiff.first)):
            found.append(entries)
            if number == 0:
                exif.read_main(tiff, entries, draft)
                if _DNG_VERSION in entries:
                    draft.format = "dng"
                if draft.format == "rw2":
                    _rw2(tiff, entries, draft)
            for offset in tiff.numbers(entries, _SUB_DIRECTORIES, MAX_SUB_DIRECTORIES):
                try:
                    found.append(tiff.one(offset))
                except BrokenFile as damage:
                    draft.note(f"A directory within is damaged. {damage}")
    return found


def _is_raw(tiff: Tiff, entries: Directory) -> bool:
    return (
        tiff.number(entries, _PHOTOMETRIC) in _RAW_PHOTOMETRICS
        or tiff.number(entries, exif.COMPRESSION) in _RAW_COMPRESSIONS
    )


def _named(head: bytes, draft: Draft, *, is_raw: bool) -> str:
    if head[8:11] == b"CR\x02":
        return "cr2"
    if head[8:12] in (b"IIII", b"MMMM"):
        return "iiq"
    if is_raw:
        make = draft.make.casefold()
        return next((name for maker, name in _BY_MAKER if make.startswith(maker)), draft.named or "raw")
    return draft.named or "tiff"


def _rw2(tiff: Tiff, entries: Directory, draft: Draft) -> None:
    """RW2: the sensor's size and data by its own tags, and a JPEG whose Exif says more than the first directory."""
    if at := tiff.number(entries, _RW2_DATA):
        with draft.sparing("The picture data are"):
            draft.payload = [Stretch(at, tiff.span.rest(at).size)]
    inner = tiff.stretch(entries, _RW2_JPEG)
    if inner is not None:
        with draft.sparing("The preview is"):
            picture = tiff.span.part(*inner)
            jpeg.read_metadata(picture, draft)
            draft.preview(Stretch(picture.origin, picture.size))
    draft.width, draft.height = tiff.number(entries, _RW2_WIDTH), tiff.number(entries, _RW2_HEIGHT)


def _payload(tiff: Tiff, entries: Directory, draft: Draft) -> None:
    """The stretches of the largest picture, merged where they touch."""
    tags = (_TILES, _TILE_SIZES) if _TILES in entries else (exif.STRIPS, exif.STRIP_SIZES)
    offsets, sizes = (tiff.numbers(entries, tag, MAX_STRETCHES) for tag in tags)
    if len(offsets) >= MAX_STRETCHES:
        return
    merged: list[Stretch] = []
    for offset, size in zip(offsets, sizes, strict=False):
        if offset + size > tiff.span.size:
            return
        if merged and merged[-1].offset + merged[-1].size == offset:
            merged[-1] = Stretch(merged[-1].offset, merged[-1].size + size)
        else:
            merged.append(Stretch(offset, size))
    if merged:
        draft.payload = merged
