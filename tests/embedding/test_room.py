"""Packets in files of each format: read by others, nothing else changed, and taken out again to the same bytes."""

from __future__ import annotations

import io
import os
import random
import struct
import wave
from collections.abc import Callable
from pathlib import Path

import av
import pytest
from PIL import Image

from jutrek.embedding import Room, jpeg, room_of, wrapped
from jutrek.embedding.heif import _told
from jutrek.embedding.proving import other_than
from jutrek.formats import Stretch, read
from jutrek.formats.boxes import child
from jutrek.formats.heif import items_of, places_of
from jutrek.formats.span import Span
from jutrek.formats.splices import Splice, Spliced, undone
from jutrek.wording.caption import Caption, with_caption
from jutrek.wording.keywords import Change
from jutrek.wording.properties import SUBJECT, Field
from tests.another_reader import read_by_another
from tests.making import put, wav
from tests.turning.test_patching import clip, picture

_UUID = bytes.fromhex("be7acfcb97a942e89c71999491e3afac")


def packet(*words: str, more: str = "") -> bytes:
    said = Caption(Change(tuple((word,) for word in words)), {Field.RIGHTS: f"© Velmora line{more}"})
    return wrapped(with_caption(b"", said))


def sound(form: bytes = b"RIFF", odd: bool = False) -> bytes:
    out = io.BytesIO()
    with wave.open(out, "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(1 if odd else 2)
        file.setframerate(8000)
        file.writeframes(bytes(range(251 if odd else 250)))
    data = out.getvalue()
    if form == b"RIFF":
        return data
    samples = data.index(b"data")
    wide = struct.pack("<4sIQQQI", b"ds64", 28, len(data) + 28, len(data) - samples - 8, 0, 0)
    return form + b"\xff" * 4 + b"WAVE" + wide + data[12 : samples + 4] + b"\xff" * 4 + data[samples + 8 :]


def box(name: bytes, body: bytes) -> bytes:
    return struct.pack(">I4s", 8 + len(body), name) + body


def quicktime(more: bytes = b"") -> bytes:
    """As cameras write it: the header behind the medium; `more` stands in its user data."""
    out = io.BytesIO()
    with av.open(out, "w", format="mov") as container:
        stream = container.add_stream("mpeg4", rate=5)
        stream.width, stream.height, stream.pix_fmt = 64, 48, "yuv420p"
        for _ in range(3):
            container.mux(stream.encode(av.VideoFrame(64, 48, "yuv420p")))
        container.mux(stream.encode())
    data = out.getvalue()
    at = data.rindex(b"moov") - 4
    inner = data[at + 8 :]
    if more and b"udta" in inner:
        start = inner.index(b"udta") - 4
        (size,) = struct.unpack(">I", inner[start : start + 4])
        inner = inner[:start] + inner[start + size :]
    return data[:at] + box(b"moov", inner + (box(b"udta", more + bytes(4)) if more else b""))


def clip_behind(inserted: bytes) -> bytes:
    """A clip whose medium stands behind a box, and is found there."""
    data = bytearray(clip())
    at = data.index(b"stco") + 8
    (count,) = struct.unpack_from(">I", data, at)
    for number in range(count):
        place = at + 4 + 4 * number
        struct.pack_into(">I", data, place, struct.unpack_from(">I", data, place)[0] + len(inserted))
    start = data.index(b"mdat") - 4
    return bytes(data[:start] + inserted + data[start:])


def heic(**more: object) -> bytes:
    out = io.BytesIO()
    import pillow_heif

    pillow_heif.register_heif_opener()
    Image.effect_noise((64, 48), 60).convert("RGB").save(out, "HEIF", quality=80, **more)
    return out.getvalue()


_KINDS: dict[str, Callable[[], bytes]] = {
    "a.jpg": lambda: picture("JPEG", 6),
    "said.jpg": lambda: picture("JPEG", 6, xmp=packet("before")),
    "bare.jpg": lambda: picture("JPEG", 1)[:2] + picture("JPEG", 1)[picture("JPEG", 1).index(b"\xff\xdb") :],
    "a.png": lambda: picture("PNG", 6),
    "a.wav": sound,
    "odd.wav": lambda: sound(odd=True),
    "wide.wav": lambda: sound(b"RF64"),
    "take.wav": wav,
    "a.mp4": clip,
    "before.mp4": lambda: clip() + box(b"uuid", _UUID + packet("before")) + box(b"free", b""),
    "first.mp4": lambda: clip_behind(box(b"uuid", _UUID + packet("before"))),
    "a.mov": quicktime,
    "data.mov": lambda: quicktime(box(b"\xa9day", b"\0\x04\0\0" + b"2026")),
    "a.heic": lambda: heic(xmp=packet("before")),
    "padded.heic": lambda: heic(xmp=packet("before") + b" " * 3000),
}


def spliced(data: bytes, splices: list[Splice] | tuple[Splice, ...]) -> bytes:
    making = Spliced(splices)
    return b"".join((*making.take(data), *making.rest()))


def roomy(path: Path) -> Room:
    found = room_of(str(path), read(str(path)))
    assert found is not None
    return found


@pytest.mark.parametrize("name", _KINDS)
def test_a_packet_is_read_by_others_and_nothing_else_changed(name: str, tmp_path: Path) -> None:
    """Put in, made longer and shorter, and all of it undone."""
    path = put(tmp_path / name, _KINDS[name]())
    before = [path.read_bytes()]
    for words, more in ((("depot",), ""), (("depot", "No. 4"), "!" * 1500), (("crossing",), "")):
        room = roomy(path)
        new = packet(*words, more=more)
        splices = room.put(new)
        after = put(tmp_path / f"new {name}", spliced(before[-1], splices))
        there = roomy(after)
        assert there.packet.strip() == new
        assert other_than(str(path), str(after), splices, room.at, there.at) == ""
        told = read(str(after))
        assert told.wording is not None and (told.wording.keywords, told.wording.rights) == (
            words, f"© Velmora line{more}",
        )  # fmt: skip
        assert told.notes == read(str(path)).notes
        assert _as_others_read_it(after, new)
        assert [one for way, one in read_by_another(after).items() if way[0] == SUBJECT.tag] == [*words]
        assert spliced(after.read_bytes(), undone(splices)) == before[-1]
        before.append(after.read_bytes())
        put(path, before[-1])


def _as_others_read_it(path: Path, new: bytes) -> bool:
    if path.suffix in (".jpg", ".png", ".heic"):
        with Image.open(path) as image:
            found = image.info.get("xmp") or image.info.get("XML:com.adobe.xmp", "")
            image.load()
        return (found if isinstance(found, bytes) else found.encode()).strip() == new
    with av.open(str(path)) as container:
        return len(list(container.decode(container.streams[0]))) > 0


def _changed(data: bytes, at: bytes, by: bytes) -> bytes:
    assert at in data
    return data.replace(at, by, 1)


_TWICE = box(b"uuid", _UUID + packet("one"))
_NO_ROOM: dict[str, Callable[[], bytes]] = {
    "tail.jpg": lambda: picture("JPEG", 6) + b"behind it",
    "other.jpg": lambda: picture("JPEG", 6) + picture("JPEG", 6),
    "multi.jpg": lambda: _changed(picture("JPEG", 6), b"\xff\xdb", b"\xff\xe2\0\x06MPF\0\xff\xdb")[:-2] + b"\xff\xd9",
    "extended.jpg": lambda: _changed(
        picture("JPEG", 6), b"\xff\xdb", b"\xff\xe1\0\x28http://ns.adobe.com/xmp/extension/\0abc\xff\xdb"
    ),
    "twice.jpg": lambda: _changed(
        picture("JPEG", 6, xmp=packet("one")), b"\xff\xdb", b"\xff\xe1\0\x1fhttp://ns.adobe.com/xap/1.0/\0\xff\xdb"
    ),
    "tail.png": lambda: picture("PNG", 6) + b"!",
    "tail.wav": lambda: sound() + b"!!",
    "wrong.wav": lambda: sound()[:4] + b"\x08\0\0\0" + sound()[8:],
    "middle.wav": lambda: sound()[:36] + b"_PMX\x02\0\0\0<>" + sound()[36:],
    "pieces.mp4": lambda: clip() + box(b"moof", b""),
    "twice.mp4": lambda: clip() + _TWICE + _TWICE,
    "tail.mp4": lambda: clip() + b"cut",
    "both.mp4": lambda: clip() + _TWICE + _TWICE,
    "first.mov": lambda: quicktime() + box(b"free", b""),
    "none.heic": heic,
    "a.webp": lambda: picture("WEBP", 6),
    "a.tif": lambda: picture("TIFF", 6),
}


@pytest.mark.parametrize("name", _NO_ROOM)
def test_where_something_might_be_lost_there_is_no_room(name: str, tmp_path: Path) -> None:
    path = put(tmp_path / name, _NO_ROOM[name]())
    assert room_of(str(path), read(str(path))) is None


@pytest.mark.parametrize("name", ["a.jpg", "a.png", "a.wav", "a.mp4", "a.mov", "a.heic"])
def test_damaged_files_have_no_room_or_stay_what_they_are(name: str, tmp_path: Path) -> None:
    whole, chance = _KINDS[name](), random.Random(name)
    for _ in range(150):
        data = bytearray(whole)
        for _ in range(chance.randint(1, 3)):
            data[chance.randrange(min(len(data), 900))] = chance.choice((0, 1, 0x7F, 0xFF, chance.randrange(256)))
        path = put(tmp_path / name, bytes(data[: chance.choice((len(data), len(data), chance.randrange(len(data))))]))
        room = room_of(str(path), read(str(path)))
        if room is None:
            continue
        splices = room.put(packet("depot"))
        made = spliced(path.read_bytes(), splices)
        assert spliced(made, undone(splices)) == path.read_bytes()


def test_what_is_not_the_same_is_told(tmp_path: Path) -> None:
    """Other pixels, other facts, a picture that stands elsewhere, and what nobody can show."""
    one, other = put(tmp_path / "a.jpg", picture("JPEG", 6)), put(tmp_path / "b.jpg", picture("JPEG", 8))
    assert "not be read as before" in other_than(str(one), str(other), [], None, None)
    darker = put(tmp_path / "c.jpg", picture("JPEG", 6, quality=20))
    assert other_than(str(one), str(darker), [], None, None)
    data = bytearray(one.read_bytes())
    data[-40] ^= 0x55
    assert "would not show the same" in other_than(str(one), str(put(tmp_path / "d.jpg", bytes(data))), [], None, None)
    assert "elsewhere" in other_than(str(one), str(one), [Splice(2, b"", b"x")], None, None)
    broken = put(tmp_path / "e.png", picture("PNG", 6).replace(b"IDAT", b"IDAT", 1)[:-30])
    assert "proves" in other_than(str(broken), str(broken), [], None, None)
    clips = [put(tmp_path / f"{number}.mp4", data) for number, data in enumerate((clip(), _other(clip())))]
    assert "would not show the same" in other_than(str(clips[0]), str(clips[1]), [], None, None)


def _other(data: bytes) -> bytes:
    at = data.index(b"mdat") + 60
    return data[:at] + bytes((data[at] ^ 1,)) + data[at + 1 :]


def test_an_item_that_another_one_shares_is_no_room(tmp_path: Path) -> None:
    """What is written there would be told of both; nor is there room where its place could not be told."""
    exif = Image.Exif()
    exif[0x010F] = "Arlen"
    path = put(tmp_path / "a.heic", heic(xmp=packet("before"), exif=exif.tobytes()))
    span = Span(path.read_bytes())
    meta = child(span, b"meta")
    assert meta is not None
    names, where = child(meta, b"iinf", offset=4), child(meta, b"iloc", offset=4)
    assert names is not None and where is not None
    of = {item.kind: number for number, item in items_of(names).items()}
    own, other = (places_of(where)[of[kind]] for kind in (b"mime", b"Exif"))
    offset = path.read_bytes().index(own.extents[0][0].to_bytes(own.widths[0]), path.read_bytes().index(b"iloc"))
    assert roomy(path).at == Stretch(*own.extents[0])
    data = bytearray(path.read_bytes())
    data[offset : offset + own.widths[0]] = other.extents[0][0].to_bytes(own.widths[0])
    put(path, bytes(data))
    assert room_of(str(path), read(str(path))) is None
    for place, fits in (
        (own._replace(widths=(1, 4)), False),
        (own._replace(widths=(4, 1)), False),
        (own._replace(widths=(4, 4)), True),
    ):
        assert bool(list(_told(span, place._replace(told_at=0, base=0), 300, 300))) is fits


def test_what_is_too_long_for_a_segment_or_a_size_has_no_room(tmp_path: Path) -> None:
    """65,533 bytes a segment, its mark's text among them; 4 GiB a RIFF."""
    room = roomy(put(tmp_path / "a.jpg", picture("JPEG", 6)))
    assert (len(room.put(b"x" * 65_504)), room.put(b"x" * 65_505)) == (1, [])
    whole = 0xFFFFFFFF - 400
    form = struct.pack("<4sIHHIIHH", b"fmt ", 16, 1, 1, 8000, 16000, 2, 16)
    head = b"RIFF" + struct.pack("<I", whole - 8) + b"WAVE" + form + b"data" + struct.pack("<I", whole - 44)
    path = put(tmp_path / "a.wav", head)
    os.truncate(path, whole)
    room = roomy(path)
    assert (len(room.put(b"x" * 300)), room.put(b"x" * 500)) == (2, [])


@pytest.mark.parametrize("size", range(2, 12))
def test_the_end_of_a_picture_is_found_across_the_borders_of_blocks(
    size: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(jpeg, "_AT_ONCE", size)
    data = picture("JPEG", 6)
    assert roomy(put(tmp_path / "a.jpg", data)).packet == b""
    path = put(tmp_path / "b.jpg", data + b"\xff\xd9")
    assert room_of(str(path), read(str(path))) is None
