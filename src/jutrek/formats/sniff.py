"""Telling formats by content. The extension only tells siblings apart that share a signature."""

from __future__ import annotations

from collections.abc import Callable

from jutrek.formats import isobmff, jpeg, tiff, wav, xmp
from jutrek.formats.reading import Draft, Kind
from jutrek.formats.span import Span

Reader = Callable[[Span, Draft], None]

_KNOWN_BY_SIGHT: tuple[tuple[int, bytes, Kind, str], ...] = (
    (0, b"\x89PNG\r\n\x1a\n", Kind.STILL, "png"),
    (8, b"WEBP", Kind.STILL, "webp"),
    (8, b"AVI ", Kind.CLIP, "avi"),
    (0, b"FUJIFILMCCD-RAW ", Kind.STILL, "raf"),
    (0, b"IIRO", Kind.STILL, "orf"),
    (0, b"IIRS", Kind.STILL, "orf"),
    (0, b"IIU\0", Kind.STILL, "rw2"),
    (0, b"\x1aE\xdf\xa3", Kind.CLIP, "matroska"),
    (0, b"\x06\x0e\x2b\x34", Kind.CLIP, "mxf"),
    (0, b"\0\0\x01\xba", Kind.CLIP, "mpeg-ps"),
    (0, b"fLaC", Kind.SOUND, "flac"),
    (0, b"OggS", Kind.SOUND, "ogg"),
    (0, b"ID3", Kind.SOUND, "mp3"),
    (8, b"AIFF", Kind.SOUND, "aiff"),
    (8, b"AIFC", Kind.SOUND, "aiff"),
)
"""Offset, signature, kind and name of containers that are told, although their dates are not read yet."""
_XMP_STARTS = (b"<?xpacket", b"<x:xmpmeta", b"<x:xapmeta")


def reader_for(head: bytes, suffix: str) -> Reader | None:
    """The reader for a file that begins with `head` and is named with `suffix` (lower case, no dot)."""
    if head[:3] == b"\xff\xd8\xff":
        return jpeg.read
    if head[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"):
        return lambda span, draft: tiff.read(span, draft, suffix)
    if isobmff.starts(head):
        return isobmff.read
    if head[:4] in wav.SIGNATURES and head[8:12] == b"WAVE":
        return wav.read
    if _is_xmp(head):
        return xmp.read_sidecar
    return _seen(head)


def _is_xmp(head: bytes) -> bool:
    start = head.lstrip(b"\xef\xbb\xbf \r\n\t")
    return start.startswith(_XMP_STARTS) or (start.startswith(b"<?xml") and b"xmpmeta" in head)


def _seen(head: bytes) -> Reader | None:
    for offset, signature, kind, name in _KNOWN_BY_SIGHT:
        if head[offset : offset + len(signature)] == signature:
            return lambda _, draft: _by_sight(draft, kind, name)
    packets = ((188, 0, "mpeg-ts"), (192, 4, "mpeg-ts"))
    for size, offset, name in packets:
        marks = head[offset : offset + 4 * size : size]
        if len(marks) == 4 and set(marks) == {0x47}:
            return lambda _, draft: _by_sight(draft, Kind.CLIP, name)
    return None


def _by_sight(draft: Draft, kind: Kind, name: str) -> None:
    draft.kind, draft.format = kind, name
    draft.notes.append(f"Jutrek does not read dates inside {name} files yet; only the name and file time speak.")
