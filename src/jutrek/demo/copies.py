"""What gathers in a library over the years: copies of the volunteers' pictures, in every degree of sameness.

Some are the same bytes under other names, some had words added or were turned by their tag, some were made smaller,
framed, turned or mirrored and sent about; and there are series in which frame follows frame.
"""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from fractions import Fraction

import av
import numpy as np
from PIL import Image, ImageDraw, ImageOps

from jutrek.demo import clips, scenes, sound, stills
from jutrek.demo.tags import build, short

_SAME = (2, 5, 8, 11, 14, 17, 23, 29)
_WORDED = {3: "viaduct, stonework", 9: "depot, volunteers", 15: "engine, boiler test"}
_RIGHTS = "Velmora Line Trust"
_AN_HOUR_OFF, _TURNED_BY_TAG = 21, 27
_SERIES = (30, 36)

Made = Iterator[tuple[str, datetime, bytes]]


@dataclass(frozen=True, slots=True)
class Kept:
    """A picture of the library: where it lies, and what it was made of."""

    path: str
    local: datetime
    picture: Image.Image
    shot: stills.Shot
    data: bytes


def copies(kept: Sequence[Kept]) -> Made:
    """Copies of pictures, under their paths in the library."""
    for number in _SAME:
        one = kept[number]
        yield f"old desktop/from laptop/DSC{4400 + number:05} (1).jpg", one.local, one.data
    yield from _other_metadata(kept)
    yield from _other_encodings(kept)
    for number in _SERIES:
        yield from _series(kept[number])
    yield from _clip_and_sound()


def _other_metadata(kept: Sequence[Kept]) -> Made:
    for number, words in _WORDED.items():
        one = kept[number]
        yield f"old desktop/with words/picture {number}.jpg", one.local, worded(one.data, words.split(", "), _RIGHTS)
    one = kept[_AN_HOUR_OFF]
    earlier = one.local - timedelta(hours=1)
    shot = stills.Shot(earlier, one.shot.make, one.shot.model, one.shot.serial, offset="")
    yield (
        f"old desktop/an hour off/DSC{4400 + _AN_HOUR_OFF:05}.jpg",
        earlier,
        stills.jpeg(one.picture, shot, quality=80),
    )
    one = kept[_TURNED_BY_TAG]
    yield f"old desktop/turned/DSC{4400 + _TURNED_BY_TAG:05}.jpg", one.local, _turned_by_tag(one)


def worded(jpeg: bytes, words: Sequence[str], rights: str) -> bytes:
    """A JPEG with keywords and rights in an XMP segment (XMP part 3, section 1.1.3), its picture untouched."""
    items = "".join(f"<rdf:li>{word}</rdf:li>" for word in words)
    packet = (
        '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
        '<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/">'
        f"<dc:subject><rdf:Bag>{items}</rdf:Bag></dc:subject>"
        f'<dc:rights><rdf:Alt><rdf:li xml:lang="x-default">{rights}</rdf:li></rdf:Alt></dc:rights>'
        "</rdf:Description></rdf:RDF></x:xmpmeta>"
    ).encode()
    body = b"http://ns.adobe.com/xap/1.0/\0" + packet
    segment = b"\xff\xe1" + (len(body) + 2).to_bytes(2) + body
    return jpeg[:2] + segment + jpeg[2:]


def _turned_by_tag(one: Kept) -> bytes:
    out = io.BytesIO()
    exif = b"Exif\0\0" + build([stills.main_directory(one.shot) | {0x0112: short(6)}])
    one.picture.save(out, "JPEG", quality=80, exif=exif)
    return out.getvalue()


def _other_encodings(kept: Sequence[Kept]) -> Made:
    def sent(name: str, number: int, picture: Image.Image, quality: int = 72) -> tuple[str, datetime, bytes]:
        out = io.BytesIO()
        picture.save(out, "PNG" if name.endswith(".png") else "JPEG", quality=quality)
        return name, kept[number].local + timedelta(days=40), out.getvalue()

    def of(number: int) -> Image.Image:
        return kept[number].picture

    half = of(4).resize((450, 300), Image.Resampling.LANCZOS)
    yield sent("for the web/shed-web.jpg", 4, half)
    yield sent("sent about/picture_0007.jpg", 10, of(10).resize((300, 200), Image.Resampling.LANCZOS), 60)
    yield sent("for the web/calendar, August.jpg", 16, ImageOps.expand(of(16), 26, (250, 248, 240)), 88)
    yield sent("sent about/turned for the album.jpg", 22, of(22).transpose(Image.Transpose.ROTATE_90), 85)
    yield sent("sent about/mirrored for the poster.jpg", 28, ImageOps.mirror(of(28)), 85)
    words = of(33).copy()
    ImageDraw.Draw(words).text((40, 520), "Velmora line, open day", fill=(255, 255, 255), font_size=44)
    yield sent("for the web/open day.jpg", 33, words, 85)
    yield sent("old desktop/screen 2025-11-03.png", 38, of(38).resize((720, 480), Image.Resampling.LANCZOS))


def _series(one: Kept) -> Made:
    """Three more frames, a second apart: the camera moved a little, and so did the light."""
    for step in range(1, 4):
        local = one.local + timedelta(seconds=step)
        left, top = 6 * step, 4 * step
        moved = one.picture.crop((left, top, left + 870, top + 580)).resize(one.picture.size, Image.Resampling.BICUBIC)
        shot = stills.Shot(local, one.shot.make, one.shot.model, one.shot.serial)
        pixels = np.asarray(moved).astype(np.int16) + np.random.default_rng(step).integers(-4, 5, (600, 900, 1))
        picture = Image.fromarray(np.clip(pixels, 0, 255).astype(np.uint8))
        folder = one.path.rpartition("/")[0]
        yield f"{folder}/{local:%Y%m%d_%H%M%S}.jpg", local, stills.jpeg(picture, shot, quality=80)


def _clip_and_sound() -> Made:
    local = datetime(2025, 7, 12, 15, 20, 4)
    take = clips.Take("steam", local, 3, "Hovar", "4K")
    yield "2025/07/20250712_152004.mov", local, clips.clip(take, 1300)
    yield "for the web/steam test, small.mp4", local + timedelta(days=3), _small_clip(take, 1300)
    data = sound.take(local, 20, 1301, scene="Steam test", number=4)
    yield "2025/07/20250712_152010.wav", local, data
    other = sound.take(local, 20, 1301, scene="Steam test, whistle", number=4)
    yield "old desktop/from the recorder/whistle.wav", local, other
    yield "for the web/whistle.mp3", local + timedelta(days=3), _small_sound(data)


def _small_clip(take: clips.Take, seed: int) -> bytes:
    """The same pan, encoded smaller, as pages want it."""
    scene = scenes.draw(take.motif, take.local.hour, seed, (600, 270))
    out = io.BytesIO()
    with av.open(out, "w", format="mp4") as container:
        stream = container.add_stream("libx264", rate=25, options={"crf": "30", "preset": "ultrafast", "threads": "1"})
        stream.width, stream.height, stream.pix_fmt = 320, 180, "yuv420p"
        frames = int(take.seconds * 25)
        for number in range(frames):
            left = int((scene.width - 480) * number / frames)
            shot = scene.crop((left, 0, left + 480, 270)).resize((320, 180))
            frame = av.VideoFrame.from_ndarray(np.asarray(shot), format="rgb24")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return out.getvalue()


def _small_sound(wav: bytes) -> bytes:
    """A take as MP3."""
    out = io.BytesIO()
    with av.open(io.BytesIO(wav), "r") as taken, av.open(out, "w", format="mp3") as container:
        stream = container.add_stream("mp3", rate=sound.RATE, options={"b": "96000"})
        stream.layout = "mono"
        for frame in taken.decode(audio=0):
            frame.pts = None
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return out.getvalue()
