"""A mixed corpus of real files, written byte by byte or by encoders, with traps among them: how many are dated right.

Every kind is a folder of files that one device made, each with a known moment. A file is dated right when its moment is
believed and true, to the precision that it can have; of a kind that nothing can tell, when nothing is believed.
"""

from __future__ import annotations

import io
import os
import random
import tempfile
import threading
from collections.abc import Callable, Iterator
from datetime import datetime, timedelta

import av
import numpy as np
from PIL import Image

from jutrek.captures import Capture
from jutrek.demo import sound, stills
from jutrek.demo.copies import worded
from jutrek.demo.shelf import clips
from jutrek.demo.shelf.boxes import box, brand, movie_header, since_1904, user_text
from jutrek.demo.tags import Ifd, build, short, text
from jutrek.desk.intake import make_captures, read_source
from jutrek.filing import HouseRules
from jutrek.formats import Precision
from jutrek.sources import known_source

_EACH = int(os.environ.get("JUTREK_CORPUS_EACH", "40"))
_OFFSET = timedelta(hours=2)
_COPIED = datetime(2026, 10, 1, 20, 0)
_PLACE = (45.9, 7.6)
Made = tuple[str, bytes, datetime]
Kind = Callable[[int, datetime, random.Random], Made]


def _picture(number: int) -> Image.Image:
    return Image.new("RGB", (64, 48), (number * 7 % 256, number * 31 % 256, number * 53 % 256))


def _exif(local: datetime, **tags: object) -> bytes:
    """A block of Exif: make and model, and whichever of original, digitized, changed and more are given."""
    names = {"original": 0x9003, "digitized": 0x9004}
    inner: Ifd = {names[name]: text(str(words)) for name, words in tags.items() if name in names}
    main: Ifd = {0x010F: text("Arlen"), 0x0110: text("M2"), 0x0112: short(1), 0x8769: [inner]}
    if "changed" in tags:
        main[0x0132] = text(str(tags["changed"]))
    if "software" in tags:
        main[0x0131] = text(str(tags["software"]))
    if "gps" in tags:
        main[0x8825] = [stills.satellite_directory(_PLACE, local - _OFFSET)]
    return b"Exif\0\0" + build([main])


def _jpeg(number: int, exif: bytes = b"") -> bytes:
    out = io.BytesIO()
    _picture(number).save(out, "JPEG", exif=exif)
    return out.getvalue()


def _behind(jpeg: bytes, marker: int, body: bytes, size: int | None = None) -> bytes:
    """A JPEG with one more segment at its beginning."""
    return jpeg[:2] + bytes((0xFF, marker)) + (size or len(body) + 2).to_bytes(2) + body + jpeg[2:]


def _usual(local: datetime) -> str:
    return f"{local:%Y:%m:%d %H:%M:%S}"


def _shot(local: datetime, **more: object) -> stills.Shot:
    return stills.Shot(local, "Arlen", "M2", "A2-1", **more)  # type: ignore[arg-type]


def _name(number: int, ending: str = "JPG") -> str:
    return f"DSC{number:05}.{ending}"


def _encoded(number: int, form: str, exif: bytes) -> bytes:
    out = io.BytesIO()
    if form == "HEIF":
        import pillow_heif

        pillow_heif.register_heif_opener()
    _picture(number).save(out, form, exif=exif[6:] if form in ("PNG", "WEBP", "HEIF") else exif)
    return out.getvalue()


def _tiff(number: int, local: datetime) -> bytes:
    out = io.BytesIO()
    _picture(number).save(out, "TIFF", tiffinfo={271: "Arlen", 272: "M2", 36867: _usual(local), 306: _usual(local)})
    return out.getvalue()


def _muxed(form: str, codec: str, metadata: dict[str, str], number: int) -> bytes:
    out = io.BytesIO()
    with av.open(out, "w", format=form) as container:
        container.metadata.update(metadata)
        stream = container.add_stream(codec, rate=48_000)
        frame = av.AudioFrame.from_ndarray(np.full((1, 9600), number, np.int16), format="s16", layout="mono")
        frame.sample_rate = 48_000
        for made in av.AudioResampler(stream.format.name, "mono", 48_000).resample(frame):
            container.mux(stream.encode(made))
        container.mux(stream.encode(None))
    return out.getvalue()


def _xmp(inner: str) -> bytes:
    return (
        f"<x:xmpmeta xmlns:x='adobe:ns:meta/'><r:RDF xmlns:r='http://www.w3.org/1999/02/22-rdf-syntax-ns#'>"
        f"<r:Description xmlns:e='http://ns.adobe.com/exif/1.0/' {inner}/></r:RDF></x:xmpmeta>"
    ).encode()


def _in_jpeg(packet: bytes) -> bytes:
    return b"http://ns.adobe.com/xap/1.0/\0" + packet


def _mp4(seconds: int, *more: bytes, number: int = 0) -> bytes:
    return brand(b"isom") + box(b"mdat", bytes([number % 256]) * 64) + box(b"moov", movie_header(seconds), *more)


def _wav(local: datetime, n: int, clock: str = "") -> bytes:
    data = sound.take(local, 0.1, n, scene="Yard", number=n, recorder=sound.Recorder(rate=sound.AIR))
    return data.replace(f"{local:%H:%M:%S}".encode(), clock.encode()) if clock else data


def _gif(number: int, packet: bytes) -> bytes:
    out = io.BytesIO()
    _picture(number).save(out, "GIF")
    data = out.getvalue()
    at = 13 + (3 << (data[10] & 7) + 1)
    return data[:at] + b"\x21\xff\x0bXMP DataXMP" + packet + b"\x01" + bytes(range(255, -1, -1)) + b"\0" + data[at:]


def _scan(number: int, at: datetime, dice: random.Random) -> Made:
    old = datetime(dice.randint(1951, 1988), dice.randint(1, 12), dice.randint(1, 28), dice.randint(8, 18), number % 60)
    return (
        _name(number),
        _jpeg(number, _exif(old, original=_usual(old), digitized=_usual(at), software="Scanner 2")),
        old,
    )


def _two_dates(number: int, at: datetime, dice: random.Random) -> Made:
    other = at - timedelta(days=dice.randint(3, 900))
    packet = _in_jpeg(_xmp(f"e:DateTimeOriginal='{other:%Y-%m-%dT%H:%M:%S}'"))
    return _name(number), _behind(_jpeg(number, _exif(at, original=_usual(at))), 0xE1, packet), at


TOLD: dict[str, Kind] = {
    "JPEG": lambda n, at, _: (_name(n), stills.jpeg(_picture(n), _shot(at)), at),
    "JPEG without an offset": lambda n, at, _: (_name(n), stills.jpeg(_picture(n), _shot(at, offset="")), at),
    "JPEG that was edited later": lambda n, at, d: (
        _name(n), stills.jpeg(_picture(n), _shot(at, changed=at + timedelta(days=d.randint(1, 900)))), at),
    "JPEG with only the device's own tag of a change": lambda n, at, _: (
        _name(n), _jpeg(n, _exif(at, changed=_usual(at))), at),
    "JPEG whose original is blank": lambda n, at, _: (
        _name(n), _jpeg(n, _exif(at, original="0000:00:00 00:00:00", digitized=_usual(at))), at),
    "JPEG whose original lies in the future": lambda n, at, _: (
        _name(n), _jpeg(n, _exif(at, original="2098:01:01 00:00:00", digitized=_usual(at))), at),
    "JPEG with satellite time alone": lambda n, at, _: (_name(n), _jpeg(n, _exif(at, gps=True)), at),
    "JPEG with slashes and dots": lambda n, at, _: (
        _name(n), _jpeg(n, _exif(at, original=f"{at:%Y/%m/%d %H.%M.%S}")), at),
    "JPEG in quotes": lambda n, at, _: (_name(n), _jpeg(n, _exif(at, original=f"'{_usual(at)}'")), at),
    "JPEG with halves of the day": lambda n, at, _: (
        _name(n), _jpeg(n, _exif(at, original=f"{at:%Y:%m:%d %I:%M:%S %p}")), at),
    "JPEG without seconds": lambda n, at, _: (_name(n), _jpeg(n, _exif(at, original=f"{at:%Y:%m:%d %H:%M}")), at),
    "JPEG with XMP alone, in single quotes": lambda n, at, _: (
        _name(n), _behind(_jpeg(n), 0xE1, _in_jpeg(_xmp(f"e:DateTimeOriginal='{at:%Y-%m-%dT%H:%M:%S}'"))), at),
    "JPEG behind a segment of wrong length": lambda n, at, d: (
        _name(n), _behind(stills.jpeg(_picture(n), _shot(at)), 0xE3, bytes(range(33, 93)), d.choice((9, 300, 50_000))),
        at),
    "JPEG cut off in its picture": lambda n, at, _: (_name(n), stills.jpeg(_picture(n), _shot(at))[:-40], at),
    "JPEG called PNG": lambda n, at, _: (_name(n, "PNG"), stills.jpeg(_picture(n), _shot(at)), at),
    "JPEG with words added": lambda n, at, _: (
        _name(n), worded(stills.jpeg(_picture(n), _shot(at)), ["rail"], "Velmora Line Trust"), at),
    "scan of an old picture": _scan,
    "DNG": lambda n, at, _: (_name(n, "DNG"), stills.dng(_picture(n), _shot(at)), at),
    "HEIC": lambda n, at, _: (_name(n, "HEIC"), _encoded(n, "HEIF", _exif(at, original=_usual(at))), at),
    "PNG": lambda n, at, _: (_name(n, "PNG"), _encoded(n, "PNG", _exif(at, original=_usual(at))), at),
    "WebP": lambda n, at, _: (_name(n, "WEBP"), _encoded(n, "WEBP", _exif(at, original=_usual(at))), at),
    "TIFF": lambda n, at, _: (_name(n, "TIF"), _tiff(n, at), at),
    "GIF with XMP": lambda n, at, _: (
        _name(n, "GIF"), _gif(n, _xmp(f"e:DateTimeOriginal='{at:%Y-%m-%dT%H:%M:%S}'")), at),
    "MP4, UTC in its header": lambda n, at, _: (
        _name(n, "MP4"), _mp4(since_1904(at - _OFFSET), number=n), at),
    "MP4 that states local time and offset": lambda n, at, _: (
        _name(n, "MOV"),
        _mp4(since_1904(at - _OFFSET), box(b"udta", user_text(b"\xa9day", f"{at:%Y-%m-%dT%H:%M:%S}+0200")), number=n),
        at),
    "MP4 with local time in its name": lambda n, at, _: (
        f"SK3_{at:%Y%m%d_%H%M%S}.MP4", _mp4(since_1904(at - _OFFSET), number=n), at),
    "Matroska": lambda n, at, _: (
        _name(n, "MKV"),
        _muxed("matroska", "pcm_s16le", {"creation_time": f"{at - _OFFSET:%Y-%m-%dT%H:%M:%S.000000Z}"}, n), at),
    "AVCHD": lambda n, at, _: (_name(n, "MTS"), clips.avchd(at, 0x04), at),
    "AVI, day and month by name": lambda n, at, _: (_name(n, "AVI"), clips.avi(f"{at:%a %b %d %H:%M:%S %Y}"), at),
    "AVI, slashes and blanks": lambda n, at, _: (_name(n, "AVI"), clips.avi(f"{at:%Y/%m/%d/ %H:%M}"), at),
    "AVI of tape": lambda n, at, _: (_name(n, "AVI"), clips.avi("", tape=clips.dv(at)), at),
    "Broadcast Wave": lambda n, at, _: (_name(n, "WAV"), _wav(at, n), at),
    "Broadcast Wave with a dotted time": lambda n, at, _: (_name(n, "WAV"), _wav(at, n, f"{at:%H.%M.%S}"), at),
    "Broadcast Wave whose time is blank": lambda n, at, _: (_name(n, "WAV"), _wav(at, n, " " * 8), at),
}  # fmt: skip
"""What can be told."""
UNTOLD: dict[str, Kind] = {
    "JPEG without anything": lambda n, at, _: (_name(n), _jpeg(n), at),
    "JPEG with only its name": lambda n, at, _: (f"IMG_{at:%Y%m%d_%H%M%S}.jpg", _jpeg(n), at),
    "JPEG with only an editor's tag of a change": lambda n, at, d: (
        _name(n), _jpeg(n, _exif(at, changed=_usual(at + timedelta(days=d.randint(9, 900))), software="Editor 7")), at),
    "JPEG of a clock that was never set": lambda n, at, _: (
        _name(n), _jpeg(n, _exif(at, original=_usual(datetime(2000, 1, 1) + timedelta(minutes=n)))), at),
    "JPEG in the future": lambda n, at, _: (_name(n), _jpeg(n, _exif(at, original=f"2{at:%j}:05:14 10:00:00")), at),
    "JPEG older than digital cameras": lambda n, at, _: (
        _name(n), _jpeg(n, _exif(at, original=f"19{n % 60 + 20}:05:14 10:00:00")), at),
    "JPEG with two dates of shooting": _two_dates,
    "MP4 of a blank clock": lambda n, at, _: (_name(n, "MP4"), _mp4(0, number=n), at),
    "PNG of a screen, renamed": lambda n, at, _: (f"screen {n}.png", _encoded(n, "PNG", b"Exif\0\0" + build([{}])), at),
}  # fmt: skip
"""What nothing tells: nothing may be believed."""


def run() -> None:
    """Print how many of each kind are dated right."""
    dice = random.Random(int(os.environ.get("JUTREK_CORPUS_SEED", "1925")))
    right = count = 0
    with tempfile.TemporaryDirectory() as folder:
        for kinds, told in ((TOLD, True), (UNTOLD, False)):
            for name, kind in kinds.items():
                good = judged(os.path.join(folder, name), kind, dice, told=told)
                right, count = right + good, count + _EACH
                print(f"{name:52}{good:5} of {_EACH}{'' if told else '   nothing believed'}")
    print(f"{'all':52}{right:5} of {count}, {right / count:.1%}")


def judged(folder: str, kind: Kind, dice: random.Random, *, told: bool) -> int:
    """How many files of a kind are dated right."""
    os.mkdir(folder)
    truth = dict(_written(folder, kind, dice))
    found = read_source(known_source(folder), None, stop=threading.Event(), report=lambda done, total: None)
    dated = {
        read.file.path: capture for capture in make_captures([found], HouseRules(zone=120)) for read in capture.files
    }
    return sum(_is_right(dated.get(path), at) if told else _is_untold(dated.get(path)) for path, at in truth.items())


def _written(folder: str, kind: Kind, dice: random.Random) -> Iterator[tuple[str, datetime]]:
    at = datetime(dice.randint(2019, 2025), dice.randint(5, 8), dice.randint(1, 20), 9, 0)
    for number in range(1, _EACH + 1):
        at += timedelta(seconds=dice.randint(60, 1500))
        name, data, truth = kind(number, at, dice)
        path = os.path.join(folder, name)
        with open(path, "xb") as file:
            file.write(data)
        copied = _COPIED.timestamp() + number
        os.utime(path, (copied, copied))
        yield path, truth


def _is_right(capture: Capture | None, at: datetime) -> bool:
    if capture is None or capture.moment is None or not capture.trusted:
        return False
    least = timedelta(minutes=1) if capture.moment.precision is Precision.MINUTE else timedelta(seconds=1)
    return timedelta(0) <= at - capture.moment.local.replace(microsecond=0) < least


def _is_untold(capture: Capture | None) -> bool:
    return capture is None or not capture.trusted
