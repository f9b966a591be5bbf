"""Turned pictures and clips, as decoders show them that know nothing of ours; and what can't be turned in place."""

from __future__ import annotations

import io
import struct
from collections.abc import Sequence
from itertools import product
from pathlib import Path

import av
import numpy as np
import pytest
from PIL import Image, ImageOps

from jutrek.formats import read
from jutrek.formats.splices import Splice, undone
from jutrek.turning.patching import CannotTurn, splices_of
from jutrek.turning.ways import Way, turned
from tests import making
from tests.making import put

_QUARTERS = {Way.LEFT: 1, Way.HALF: 2, Way.RIGHT: 3}
_FIELDS = np.arange(12).reshape(3, 4, 1) * np.array([21, 9, 0])
PICTURE = Image.fromarray(np.kron(_FIELDS, np.ones((16, 16, 1))).astype(np.uint8))


def picture(kind: str, orientation: int = 1, **more: object) -> bytes:
    exif, out = Image.Exif(), io.BytesIO()
    exif[0x0112] = orientation
    exif[0x010F] = "Arlen"
    PICTURE.save(out, kind, exif=exif, **more)
    return out.getvalue()


def clip(orientation: int = 1) -> bytes:
    out = io.BytesIO()
    with av.open(out, "w", format="mp4") as container:
        stream = container.add_stream("mpeg4", rate=5)
        stream.width, stream.height, stream.pix_fmt = 64, 48, "yuv420p"
        for _ in range(2):
            container.mux(stream.encode(av.VideoFrame.from_image(PICTURE)))
        container.mux(stream.encode())
    data = bytearray(out.getvalue())
    at = data.index(b"tkhd") + 4 + 40
    a, b, c, d = {1: (1, 0, 0, 1), 6: (0, 1, -1, 0)}[orientation]
    data[at : at + 36] = struct.pack(">9i", a << 16, b << 16, 0, c << 16, d << 16, 0, 0, 0, 1 << 30)
    return bytes(data)


def displayed(path: Path) -> np.ndarray:
    if path.suffix == ".mp4":
        with av.open(str(path)) as container:
            frame = next(container.decode(video=0))
            return np.rot90(frame.to_ndarray(format="rgb24"), round(frame.rotation / 90) % 4)
    return np.asarray(ImageOps.exif_transpose(Image.open(path)).convert("RGB"))


def patched(path: Path, splices: Sequence[Splice]) -> None:
    data = bytearray(path.read_bytes())
    for one in splices:
        assert data[one.offset : one.offset + len(one.old)] == one.old
        assert len(one.old) == len(one.new)
        data[one.offset : one.offset + len(one.old)] = one.new
    path.write_bytes(data)


_KINDS = {
    "a.jpg": lambda orientation: picture("JPEG", orientation, quality=95),
    "a.png": lambda orientation: picture("PNG", orientation),
    "a.webp": lambda orientation: picture("WEBP", orientation, lossless=True),
    "a.tif": lambda orientation: picture("TIFF", orientation),
    "a.avif": lambda orientation: picture("AVIF", orientation, quality=95),
    "a.mp4": clip,
}


@pytest.mark.parametrize("name", _KINDS)
def test_others_show_it_turned_and_nothing_else_changed(name: str, tmp_path: Path) -> None:
    # What this encoder writes of a picture that is not turned holds no turn at all.
    for orientation, way in product((1, 6) if name != "a.avif" else (6, 8), Way):
        path = put(tmp_path / name, _KINDS[name](orientation))
        before, was, told = path.read_bytes(), displayed(path), read(str(path))
        splices = splices_of(str(path), told, way)
        patched(path, splices)
        new = read(str(path))
        expected = np.rot90(was, _QUARTERS[way]) if way is not Way.UPRIGHT else None
        if expected is not None:
            assert displayed(path).shape == expected.shape
            assert np.abs(displayed(path).astype(int) - expected).mean() < 3, (orientation, way)
        else:
            assert displayed(path).shape[:2] == (48, 64)
        assert (new.payload, new.notes) == (told.payload, told.notes)
        assert [path.read_bytes()[part.offset : part.offset + part.size] for part in told.payload] == [
            before[part.offset : part.offset + part.size] for part in told.payload
        ]
        patched(path, undone(splices))
        assert path.read_bytes() == before
        assert way is not Way.UPRIGHT or orientation != 1 or not splices


def test_each_orientation_is_turned_as_the_picture_is() -> None:
    """All eight of them, against pixels."""
    pixels = np.asarray(PICTURE)
    for value, (way, quarters) in product(range(1, 9), _QUARTERS.items()):
        exif = Image.Exif()
        shown = []
        for one in (value, turned(value, way)):
            exif[0x0112] = one
            copy = Image.fromarray(pixels)
            copy.getexif()[0x0112] = one
            shown.append(np.asarray(ImageOps.exif_transpose(copy)))
        assert np.array_equal(np.rot90(shown[0], quarters), shown[1]), (value, way)
        assert turned(turned(value, way), way.back) == value
    assert {turned(value, Way.UPRIGHT) for value in range(1, 9)} == {1}


def test_a_packet_that_says_it_too_is_told_the_same(tmp_path: Path) -> None:
    packet = (
        b'<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
        b'<rdf:Description xmlns:tiff="http://ns.adobe.com/tiff/1.0/" tiff:Orientation="6"/></rdf:RDF></x:xmpmeta>'
    )
    path = put(tmp_path / "a.jpg", picture("JPEG", 6, xmp=packet))
    patched(path, splices_of(str(path), read(str(path)), Way.RIGHT))
    assert b'tiff:Orientation="3"' in path.read_bytes()
    assert read(str(path)).orientation == 3


def test_what_holds_no_orientation_or_a_damaged_one_is_refused(tmp_path: Path) -> None:
    plain = io.BytesIO()
    PICTURE.save(plain, "JPEG")
    askew = bytearray(clip())
    at = askew.index(b"tkhd") + 44
    askew[at : at + 4] = struct.pack(">i", 46341)
    mirrored = bytearray(clip())
    mirrored[at : at + 4] = struct.pack(">i", -65536)
    sound = making.wav()
    for name, data in (("a.jpg", plain.getvalue()), ("b.mp4", askew), ("c.mp4", mirrored), ("d.wav", sound)):
        path = put(tmp_path / name, bytes(data))
        with pytest.raises(CannotTurn):
            splices_of(str(path), read(str(path)), Way.LEFT)
    # A value that leads into the picture itself is none: whatever a directory says.
    path = put(tmp_path / "e.jpg", picture("JPEG", 6))
    told = read(str(path))
    within = path.read_bytes().index(b"\0\1", told.payload[0].offset)
    with pytest.raises(CannotTurn, match="within the picture"):
        splices_of(str(path), told._replace(orientation_at=(within,)), Way.LEFT)


def test_files_that_contradict_themselves_are_left(tmp_path: Path) -> None:
    """Two turns of one picture; a value that is none."""
    data = picture("AVIF", 6)
    uses = data.index(b"ipma") + 15
    assert data[uses : uses + 5] == bytes((1, 2, 0x83, 4, 0x85))
    path = put(tmp_path / "a.avif", data[:uses] + bytes((1, 2, 0x83, 0x85, 0x85)) + data[uses + 5 :])
    with pytest.raises(CannotTurn):
        splices_of(str(path), read(str(path)), Way.LEFT)
    path = put(tmp_path / "b.jpg", picture("JPEG", 6))
    told = read(str(path))
    (at,) = told.orientation_at
    for value in (b"\1\1", b"\0\0", b"\0\11", b"\11\0"):
        made = path.read_bytes()
        put(path, made[:at] + value + made[at + 2 :])
        with pytest.raises(CannotTurn, match="damaged"):
            splices_of(str(path), told, Way.LEFT)


def mirrored(data: bytes, *, behind: bool) -> bytes:
    """A picture whose colours are not told any more, and that is mirrored instead, before or behind its turn."""
    at = data.index(b"colr") - 4
    assert data[at : at + 4] == struct.pack(">I", 19)
    boxes = struct.pack(">I4sB", 9, b"imir", 1) + struct.pack(">I4s2s", 10, b"free", b"")
    uses = data.index(b"ipma") + 15
    assert data[uses : uses + 5] == bytes((1, 2, 0x83, 4, 0x85))
    order = (0x86, 0x84) if behind else (0x84, 0x86)
    made = data[:at] + boxes + data[at + 19 :]
    return made[:uses] + bytes((1, 2, 0x83, *order)) + made[uses + 5 :]


@pytest.mark.parametrize("way", _QUARTERS)
def test_what_is_mirrored_besides_is_turned_the_right_way(way: Way, tmp_path: Path) -> None:
    path = put(tmp_path / "a.avif", mirrored(picture("AVIF", 6, quality=95), behind=True))
    was = displayed(path)
    patched(path, splices_of(str(path), read(str(path)), way))
    expected = np.rot90(was, _QUARTERS[way])
    assert displayed(path).shape == expected.shape
    assert np.abs(displayed(path).astype(int) - expected).mean() < 3
    # In the other order programs show it one way or the other.
    path = put(tmp_path / "b.avif", mirrored(picture("AVIF", 6), behind=False))
    with pytest.raises(CannotTurn, match="mirrored before"):
        splices_of(str(path), read(str(path)), way)


def test_a_turned_clip_lies_in_its_corner(tmp_path: Path) -> None:
    """Its matrix moves it back to where nothing is left of or above it (ISO/IEC 14496-12 8.3.2)."""
    corners = {}
    for way in Way:
        path = put(tmp_path / f"{way}.mp4", clip())
        patched(path, splices_of(str(path), read(str(path)), way))
        data = path.read_bytes()
        at = data.index(b"tkhd") + 44
        corners[way] = tuple(value >> 16 for value in struct.unpack(">9i", data[at : at + 36])[6:8])
    assert corners == {Way.LEFT: (0, 64), Way.RIGHT: (48, 0), Way.HALF: (64, 48), Way.UPRIGHT: (0, 0)}


def test_clips_without_a_matrix_and_of_the_longer_header_are_turned(tmp_path: Path) -> None:
    """All zero is as it comes; of version 1 times and length take twelve bytes more (8.3.2.2)."""
    data = clip()
    at = data.index(b"tkhd") + 4
    bare = data[: at + 40] + bytes(36) + data[at + 76 :]
    sizes = {one: data.index(one) for one in (b"moov", b"trak")}
    longer = bytearray(data[:at] + b"\1" + data[at + 1 : at + 4] + bytes(12) + data[at + 4 :])
    for place in (at - 4, *sizes.values()):
        (size,) = struct.unpack(">I", longer[place - 4 : place])
        longer[place - 4 : place] = struct.pack(">I", size + 12)
    for name, made, where in (("a.mp4", bare, at + 40), ("b.mp4", bytes(longer), at + 52)):
        path = put(tmp_path / name, made)
        (splice,) = splices_of(str(path), read(str(path)), Way.RIGHT)
        assert splice.offset == where
        assert [value >> 16 for value in struct.unpack(">9i", splice.new)[:8]] == [0, 1, 0, -1, 0, 0, 48, 0]
