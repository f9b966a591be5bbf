"""All formats in one table: how content is told, who reads it, and what follows from the format alone.

The first row that fits decides, so what has a signature stands before what is told by its structure, and that before
text. Formats that share a signature stand under the row that has it: its reader tells them apart.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from enum import Enum
from typing import NamedTuple

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
    playlists,
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
from jutrek.formats.reading import MEDIA, Kind, Stretch
from jutrek.formats.span import Span

Reader = Callable[[Span, Draft], None]
Walker = Callable[[Span, int], Iterator[Stretch]]

_STILL, _CLIP, _SOUND, _SIDECAR, _OTHER = Kind.STILL, Kind.CLIP, Kind.SOUND, Kind.SIDECAR, Kind.OTHER


class Decoder(Enum):
    """What decodes a still itself. Of other stills an embedded JPEG is shown."""

    NONE = 0
    PILLOW = 1
    HEIF = 2


class Format(NamedTuple):
    """A row of the table.

    Attributes:
        name: of the format, in lower case, as it stands in `Reading.format`.
        kind: what its files are to the person; its reader may know better of a single one.
        suffixes: the extensions that its files may bear; the first is given where a file bears none of them. Empty
            where files keep what they bear.
        lesser: extensions by which devices know a small copy that stands beside the capture itself.
        read: its reader; None where another row's reader tells it.
        starts: what its files begin with, any of them.
        form: what stands 8 bytes in (the form of RIFF and FORM files), or empty.
        tells: whether a file is of it, from the head and the size in bytes, where no signature tells.
        raw: whether it is a camera's raw.
        developed: whether it is a picture that is made of a raw.
        by_name: whether it shares everything but the extension with other raws.
        since: the year in which the first camera wrote it; 0 where others write it as well. Pictures of any age are
            turned into others.
        decoder: of its pictures.
        walk: finds the payload where what describes stands between what is described.
        beside: what devices write beside its clips: endings in the place of the extension.
    """

    name: str
    kind: Kind
    suffixes: tuple[str, ...] = ()
    lesser: tuple[str, ...] = ()
    read: Reader | None = None
    starts: tuple[bytes, ...] = ()
    form: bytes = b""
    tells: Callable[[bytes, int], bool] | None = None
    raw: bool = False
    developed: bool = False
    by_name: bool = False
    since: int = 0
    decoder: Decoder = Decoder.NONE
    walk: Walker | None = None
    beside: tuple[str, ...] = ()

    def fits(self, head: bytes, size: int) -> bool:
        """Whether a file of `size` bytes that begins with `head` is of it."""
        if self.starts:
            return head.startswith(self.starts) and head[8 : 8 + len(self.form)] == self.form
        return self.tells is not None and self.tells(head, size)


def _raw(name: str, *suffixes: str, since: int = 0, by_name: bool = False) -> Format:
    """A raw that another row's reader tells."""
    return Format(name, _STILL, suffixes or (f".{name}",), raw=True, since=since, by_name=by_name)


_THUMBNAIL, _SUBTITLES, _DATA = (".THM", ".thm"), (".SRT", ".srt"), ("M01.XML",)
_RIFF, _FORM = tuple(wav.SIGNATURES), (b"FORM",)
_JPEGS = (".jpg", ".jpeg", ".jpe", ".mpo", ".jps", ".insp")
_MP4S = (".mp4", ".m4v", ".m4a", ".360", ".insv")
_PILLOW = Decoder.PILLOW

_ROWS = (
    Format("jpeg", _STILL, _JPEGS, (".thm",), jpeg.read, (b"\xff\xd8\xff",), developed=True, decoder=_PILLOW),
    Format("tiff", _STILL, (".tif", ".tiff"), read=tiff.read, starts=tuple(tiff.SIGNATURES), developed=True),
    Format("dng", _STILL, (".dng", ".gpr"), raw=True),
    _raw("cr2", since=2004, by_name=True),
    _raw("nef", ".nef", ".nrw", by_name=True),
    _raw("nrw", by_name=True),
    _raw("arw", ".arw", ".sr2", ".srf", since=2006, by_name=True),
    _raw("sr2", by_name=True),
    _raw("srf", by_name=True),
    _raw("pef", by_name=True),
    _raw("srw", by_name=True),
    _raw("3fr", ".3fr", ".fff", by_name=True),
    _raw("fff", by_name=True),
    _raw("erf", by_name=True),
    _raw("mef", by_name=True),
    _raw("mos", by_name=True),
    _raw("iiq", by_name=True),
    _raw("dcr", ".dcr", ".kdc", by_name=True),
    _raw("kdc", by_name=True),
    _raw("rwl", by_name=True),
    _raw("gpr", by_name=True),
    _raw("orf"),
    _raw("rw2", ".rw2", ".rwl", ".raw", since=2008),
    Format("raw", _STILL, raw=True),
    Format("mov", _CLIP, (".mov", ".qt"), read=isobmff.read, tells=isobmff.starts, beside=_SUBTITLES + _THUMBNAIL),
    Format("mp4", _CLIP, _MP4S, (".lrv",), beside=_DATA + _SUBTITLES + _THUMBNAIL),
    Format("m4v", _CLIP, (".m4v", ".mp4")),
    Format("3gp", _CLIP, (".3gp", ".3g2")),
    Format("m4a", _SOUND, (".m4a", ".m4b")),
    Format("heic", _STILL, (".heic", ".hif"), developed=True, decoder=Decoder.HEIF),
    Format("heif", _STILL, (".heif", ".hif", ".heic"), developed=True, decoder=Decoder.HEIF),
    Format("avif", _STILL, (".avif",), developed=True, decoder=_PILLOW),
    _raw("cr3", since=2018),
    Format("png", _STILL, (".png",), (), png.read, (png.SIGNATURE[:4],), developed=True, decoder=_PILLOW),
    Format("jxl", _STILL, (".jxl",), (), jxl.read, (jxl.SIGNATURE[:8], jxl.BARE), developed=True),
    Format("raf", _STILL, (".raf",), (), raf.read, (raf.SIGNATURE[:8],), raw=True, since=2000),
    Format("mrw", _STILL, (".mrw",), (), mrw.read, (mrw.SIGNATURE,), raw=True, since=2001),
    Format("x3f", _STILL, (".x3f",), (), x3f.read, (x3f.SIGNATURE,), raw=True, since=2002),
    Format("gif", _STILL, (".gif",), (), gif.read, gif.SIGNATURES, developed=True, decoder=_PILLOW),
    Format("webp", _STILL, (".webp",), (), webp.read, _RIFF, b"WEBP", developed=True, decoder=_PILLOW),
    Format("wav", _SOUND, (".wav", ".bwf"), (), wav.read, _RIFF, b"WAVE"),
    Format("avi", _CLIP, (".avi",), (), avi.read, _RIFF, b"AVI ", beside=_THUMBNAIL),
    Format("aiff", _SOUND, (".aif", ".aiff", ".aifc"), (), aiff.read, _FORM, b"AIF"),
    Format("mpeg-ps", _CLIP, (".mpg", ".mpeg", ".mod", ".vob"), (), mpegps.read, (mpegps.SIGNATURE,),
           beside=(".MOI", ".moi", *_THUMBNAIL)),
    Format("matroska", _CLIP, (".mkv", ".mka"), (), matroska.read, (matroska.SIGNATURE,), walk=matroska.clusters),
    Format("webm", _CLIP, (".webm",), walk=matroska.clusters),
    Format("asf", _CLIP, (".wmv", ".wma", ".asf"), (), asf.read, (asf.SIGNATURE[:8],)),
    Format("flac", _SOUND, (".flac",), (), flac.read, (flac.SIGNATURE,)),
    Format("ogg", _SOUND, (".ogg", ".oga", ".ogv"), (), ogg.read, (ogg.SIGNATURE,), walk=ogg.bodies),
    Format("opus", _SOUND, (".opus", ".ogg"), walk=ogg.bodies),
    Format("caf", _SOUND, (".caf",), (), caf.read, (caf.SIGNATURE,)),
    Format("cpi", _OTHER, read=playlists.read, starts=(b"HDMV",)),
    Format("mpls", _OTHER, read=playlists.read, starts=(b"MPLS",)),
    Format("mxf", _CLIP, (".mxf",), read=mxf.read, tells=mxf.starts, beside=_DATA),
    Format("mpeg-ts", _CLIP, (".mts", ".m2ts", ".m2t", ".ts", ".tod"), read=mpegts.read, tells=mpegts.starts),
    Format("dv", _CLIP, (".dv",), read=dv.read, tells=dv.starts),
    Format("moi", _SIDECAR, (".moi",), read=moi.read, tells=moi.starts),
    Format("mp3", _SOUND, (".mp3",), read=mp3.read, tells=mp3.starts),
    Format("clipdata", _SIDECAR, (".xml",), read=clipdata.read_sidecar, tells=clipdata.starts),
    Format("xmp", _SIDECAR, (".xmp",), read=xmp.read_sidecar, tells=xmp.starts),
    Format("aae", _SIDECAR, (".aae",), read=adjustments.read, tells=adjustments.starts),
    Format("srt", _SIDECAR, (".srt",), read=srt.read, tells=srt.starts),
)  # fmt: skip

FORMATS = {row.name: row for row in _ROWS}
HEAD = 1024
"""Bytes that are looked at to tell a format."""
MEDIA_SUFFIXES = frozenset(suffix for row in _ROWS if row.kind in MEDIA for suffix in row.suffixes)
"""Extensions of stills, clips and sound, in small letters."""
_KIND_OF = {suffix: row.kind for row in reversed(_ROWS) for suffix in row.suffixes}
DEVELOPED_SUFFIXES = frozenset(suffix for row in _ROWS if row.developed for suffix in row.suffixes)

_UNKNOWN = Format("unknown", _OTHER)
_READ = tuple(row for row in _ROWS if row.read is not None)
_BY_NAME = frozenset(row.name for row in _ROWS if row.by_name)


def told(head: bytes, size: int) -> Format | None:
    """The row whose reader reads a file that begins with `head`; None where no format is known by it.

    Args:
        head: the first bytes, up to `HEAD`.
        size: of the whole file in bytes.
    """
    return next((row for row in _READ if row.fits(head, size)), None)


def named(path: str) -> str:
    """The format that a file's extension names, of raws that nothing else tells apart; else empty."""
    suffix = os.path.splitext(path)[1][1:].lower()
    return suffix if suffix in _BY_NAME else ""


def kind_by_suffix(suffix: str) -> Kind:
    """What a file most likely is of which nothing but the extension is known."""
    return _KIND_OF.get(suffix.lower(), _OTHER)


def format_of(name: str) -> Format:
    """The row of a format; one that is nothing and has nothing where there is none of that name."""
    return FORMATS.get(name, _UNKNOWN)
