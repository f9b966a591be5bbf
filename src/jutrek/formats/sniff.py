"""Telling formats by content. The extension only tells siblings apart that share a signature."""

from __future__ import annotations

import os
from collections.abc import Callable

from jutrek.formats import (
    adjustments,
    aiff,
    asf,
    avi,
    caf,
    clipdata,
    dv,
    flac,
    gif,
    id3,
    isobmff,
    jpeg,
    jxl,
    matroska,
    moi,
    mp3,
    mpegps,
    mpegts,
    mrw,
    mxf,
    ogg,
    png,
    raf,
    srt,
    tiff,
    wav,
    webp,
    x3f,
    xmp,
)
from jutrek.formats.draft import Draft
from jutrek.formats.reading import Kind
from jutrek.formats.span import Span

Reader = Callable[[Span, Draft], None]

HEAD = 1024
"""Bytes that are looked at to tell a format."""

_SIGNATURES: dict[bytes, Reader] = {
    png.SIGNATURE[:4]: png.read,
    jxl.SIGNATURE[:8]: jxl.read,
    raf.SIGNATURE[:8]: raf.read,
    mrw.SIGNATURE: mrw.read,
    x3f.SIGNATURE: x3f.read,
    gif.SIGNATURES[0][:4]: gif.read,
    mpegps.SIGNATURE: mpegps.read,
    matroska.SIGNATURE: matroska.read,
    asf.SIGNATURE[:8]: asf.read,
    flac.SIGNATURE: flac.read,
    ogg.SIGNATURE: ogg.read,
    caf.SIGNATURE: caf.read,
}
"""Readers by the first four or eight bytes."""
_RIFF_FORMS: dict[bytes, Reader] = {b"WAVE": wav.read, b"AVI ": avi.read, b"WEBP": webp.read}
_FORMS: dict[bytes, Reader] = {b"AIFF": aiff.read, b"AIFC": aiff.read}
_CLIP_FILES = {b"HDMV": "cpi", b"MPLS": "mpls"}
_XMP_STARTS = (b"<?xpacket", b"<x:xmpmeta", b"<x:xapmeta")


def reader_for(head: bytes, path: str, size: int) -> Reader | None:
    """The reader for a file that begins with `head`.

    Args:
        head: the first bytes, up to `HEAD`.
        path: where it is; its extension tells siblings apart.
        size: of the whole file in bytes.
    """
    if head[:3] == b"\xff\xd8\xff":
        return jpeg.read
    if head[:4] in tiff.SIGNATURES:
        suffix = os.path.splitext(path)[1][1:].lower()
        return lambda span, draft: tiff.read(span, draft, suffix)
    if isobmff.starts(head):
        return isobmff.read
    if found := _SIGNATURES.get(head[:8]) or _SIGNATURES.get(head[:4]):
        return found
    if head[:4] in wav.SIGNATURES:
        return _RIFF_FORMS.get(head[8:12])
    if head[:4] == b"FORM":
        return _FORMS.get(head[8:12])
    if head[:4] in _CLIP_FILES:
        return lambda _, draft: _told(draft, _CLIP_FILES[head[:4]])
    return _by_structure(head, size) or _by_text(head)


def _by_structure(head: bytes, size: int) -> Reader | None:
    """Formats without a signature at their start: by what repeats, or fits."""
    if head[:2] == jxl.BARE:
        return jxl.read
    if mxf.header_at(head) >= 0:
        return mxf.read
    if mpegts.stride(head):
        return mpegts.read
    if dv.starts(head):
        return dv.read
    if moi.starts(head, size):
        return moi.read
    if id3.size_of(head):
        return _tagged
    return mp3.read if mp3.starts(head) else None


def _by_text(head: bytes) -> Reader | None:
    plain = head.replace(b"\0", b"") if head[:2] in (b"\xff\xfe", b"\xfe\xff") else head
    start = plain.lstrip(b"\xef\xbb\xbf\xff\xfe \r\n\t")
    if start.startswith(_XMP_STARTS):
        return xmp.read_sidecar
    if start.startswith((b"<?xml", b"<NonRealTimeMeta", b"<plist")):
        if clipdata.ROOT in plain:
            return clipdata.read_sidecar
        if b"xmpmeta" in plain or b"rdf:RDF" in plain:
            return xmp.read_sidecar
        if adjustments.MARK in plain:
            return adjustments.read
    return srt.read if srt.starts(head) else None


def _tagged(span: Span, draft: Draft) -> None:
    """An ID3 tag: before FLAC in some files, before MP3 in most."""
    at = id3.size_of(span.upto(0, 10))
    if span.upto(at, 4) == flac.SIGNATURE:
        id3.read(span, draft)
        flac.read(span.rest(at), draft)
    else:
        mp3.read(span, draft)


def _told(draft: Draft, name: str) -> None:
    """A file that players need to find clips by: it is known by sight, and is no capture of its own."""
    draft.kind, draft.format = Kind.OTHER, name
    draft.note("It tells players where clips are, and holds no picture, clip or sound itself.")
