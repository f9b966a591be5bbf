"""What copies are: their size, which way up they are, their colours, and what they say; of clips as of stills."""

from __future__ import annotations

import io
import os
import threading
from datetime import datetime
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from PIL import Image, ImageCms

from jutrek.errors import NotPossible, Stopped
from jutrek.formats import Precision, read
from jutrek.outboxes.asked import Asked, Clips, Tells, asked
from jutrek.outboxes.clips import said_anew, small_clip
from jutrek.outboxes.colour import in_srgb
from jutrek.outboxes.stills import small_jpeg
from jutrek.outboxes.telling import Words, dressed
from tests.making import put

WHEN = datetime(2026, 5, 14, 10, 26, 13, 250_000)


def small(path: Path, longest: int = 200) -> Image.Image:
    from jutrek.decoding import opened, shown

    with opened(str(path)) as file:
        return Image.open(io.BytesIO(small_jpeg(file, shown(str(path), read(str(path))), longest, 95)))


def saved(tmp_path: Path, picture: Image.Image, suffix: str = ".jpg", **how: object) -> Path:
    made = io.BytesIO()
    picture.save(made, {".jpg": "JPEG", ".png": "PNG"}[suffix], **how)
    return put(tmp_path / f"a{suffix}", made.getvalue())


def test_upright_and_no_larger_than_asked_for_or_than_it_is(tmp_path: Path) -> None:
    picture = Image.new("RGB", (400, 300), (200, 30, 30))
    picture.paste((30, 30, 200), (0, 0, 200, 300))
    exif = Image.Exif()
    exif[0x0112] = 6
    found = small(saved(tmp_path, picture, exif=exif, quality=95))
    assert found.size == (150, 200)
    assert found.getpixel((75, 20))[2] > 150 and found.getpixel((75, 180))[0] > 150
    assert small(saved(tmp_path, picture, ".png"), 4000).size == (400, 300)


def test_colours_are_those_of_srgb(tmp_path: Path) -> None:
    """Against LittleCMS, from a profile that has exactly the primaries and the gamma of Adobe RGB."""
    values = np.random.default_rng(1).integers(0, 256, (8, 8, 3)).repeat(8, 0).repeat(8, 1).astype(np.uint8)
    found = np.asarray(in_srgb(Image.fromarray(values), adobe=True)).astype(int)
    light = (values / 255.0) ** 2.19921875 @ np.array([
        [0.5766690, 0.2973450, 0.0270314], [0.1855580, 0.6273636, 0.0706889], [0.1882286, 0.0752915, 0.9913375],
    ])  # fmt: skip
    back = np.array(
        [[3.2404542, -0.9692660, 0.0556434], [-1.5371385, 1.8760108, -0.2040259], [-0.4985314, 0.0415560, 1.0572252]]
    )
    linear = np.clip(light @ back, 0, 1)
    expected = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055) * 255
    assert np.abs(found - expected).max() <= 3
    exif = Image.Exif()
    exif.get_ifd(0x8769)[0xA005] = {0x0001: "R03"}
    green = Image.new("RGB", (64, 64), (60, 200, 60))
    assert small(saved(tmp_path, green)).getpixel((32, 32)) == pytest.approx((60, 200, 60), abs=3)
    lab = ImageCms.ImageCmsProfile(ImageCms.createProfile("XYZ"))
    assert small(saved(tmp_path, green, icc_profile=lab.tobytes())).getpixel((32, 32))[1] > 150  # Of no use for RGB.


def test_adobe_rgb_is_known_by_its_exif(tmp_path: Path) -> None:
    interoperability = b"\x00\x01\x00\x01\x00\x02\x00\x00\x00\x04R03\0\x00\x00\x00\x00"
    own = b"\x00\x01\xa0\x05\x00\x04\x00\x00\x00\x01\x00\x00\x00\x2c\x00\x00\x00\x00"
    first = b"\x00\x01\x87\x69\x00\x04\x00\x00\x00\x01\x00\x00\x00\x1a\x00\x00\x00\x00"
    exif = b"Exif\0\0MM\x00\x2a\x00\x00\x00\x08" + first + own + interoperability
    found = small(saved(tmp_path, Image.new("RGB", (64, 64), (60, 200, 60)), exif=exif, quality=95))
    red, green, _ = found.getpixel((32, 32))
    assert red < 20 and green == pytest.approx(200, abs=4)
    assert found.info["icc_profile"]


def test_a_copy_says_what_is_asked_for_and_nothing_besides(tmp_path: Path) -> None:
    bare = dressed(small_of(tmp_path), Words())
    assert read(str(put(tmp_path / "b.jpg", bare))).wording is None
    words = Words(WHEN, Precision.SUBSECOND, 120, ("bridge", "größe"), (-47.125, 8.5), "Ilvar", "© Ilvar")
    said = read(str(put(tmp_path / "s.jpg", dressed(bare, words))))
    assert [(one.at, one.stamp.iso(), str(one.stamp.offset)) for one in said.claims[:2]] == [
        ("exif:original", "2026-05-14T10:26:13.25", "+02:00"), ("xmp:original", "2026-05-14T10:26:13.25", "+02:00"),
    ]  # fmt: skip
    assert said.position == pytest.approx((-47.125, 8.5))
    assert said.wording is not None
    assert (said.wording.keywords, said.wording.creator, said.wording.rights) == (
        ("bridge", "größe"),
        "Ilvar",
        "© Ilvar",
    )
    assert dressed(dressed(bare, words), Words()) == bare
    month = dressed(bare, Words(WHEN, Precision.MONTH))
    assert [(one.at, one.stamp.iso()) for one in read(str(put(tmp_path / "m.jpg", month))).claims][:1] == [
        ("xmp:original", "2026-05")
    ]
    many = dressed(bare, Words(keywords=tuple(f"word {number}" for number in range(9000))))
    packet = Image.open(io.BytesIO(many)).info["xmp"]
    assert 1000 < packet.count(b"<rdf:li>word ") < 9000
    with pytest.raises(ValueError, match="cut off"):
        dressed(bare[:40], Words())


def small_of(tmp_path: Path) -> bytes:
    made = io.BytesIO()
    small(saved(tmp_path, Image.new("RGB", (60, 40), (90, 120, 60)))).save(made, "JPEG")
    return made.getvalue()


def clip(
    path: Path, *, frames: int = 12, turned: bool = False, square: Fraction = Fraction(1), sound: bool = True
) -> Path:
    """A clip, red above and blue below as it is to be seen."""
    with av.open(str(path), "w") as container:
        stream = container.add_stream("mpeg4", rate=25)
        stream.width, stream.height, stream.pix_fmt = 320, 240, "yuv420p"
        stream.codec_context.sample_aspect_ratio = square
        heard = container.add_stream("aac", rate=48_000, layout="mono") if sound else None
        picture = np.zeros((240, 320, 3), np.uint8)
        picture[:, :, 2], picture[:120] = 200, (200, 0, 0)
        if turned:
            picture[:], picture[:, :160] = (0, 0, 200), (200, 0, 0)
        for _ in range(frames):
            container.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")))
            if heard is not None:
                silence = av.AudioFrame.from_ndarray(np.zeros((1, 1024), np.float32), format="fltp", layout="mono")
                silence.rate = 48_000
                container.mux(heard.encode(silence))
        container.mux(stream.encode(None))
        if heard is not None:
            container.mux(heard.encode(None))
    if turned:
        # The matrix of the track: a quarter to the right (ISO/IEC 14496-12, 8.3.2).
        data = path.read_bytes()
        straight = b"".join(number.to_bytes(4, "big") for number in (65536, 0, 0, 0, 65536, 0, 0, 0, 1 << 30))
        at = data.index(straight, data.index(b"tkhd"))
        right = b"".join(
            number.to_bytes(4, "big", signed=True) for number in (0, 65536, 0, -65536, 0, 0, 240 << 16, 0, 1 << 30)
        )
        path.write_bytes(data[:at] + right + data[at + 36 :])
    return path


def copied(path: Path, longest: int = 160, stop: threading.Event | None = None) -> Path:
    target = path.with_name("small.mp4")
    # As an outbox opens it: its name leads nowhere.
    fd = os.open(target, os.O_CREAT | os.O_EXCL | os.O_RDWR)
    with path.open("rb") as old, os.fdopen(fd, "w+b") as new:
        small_clip(old, new, longest, {"creation_time": "2026-05-14T08:26:13Z"}, stop or threading.Event())
    return target


@pytest.mark.parametrize(("how", "size"), [
    ({}, (160, 120)), ({"turned": True}, (120, 160)), ({"square": Fraction(4, 3)}, (160, 90)),
    ({"sound": False}, (160, 120)),
])  # fmt: skip
def test_a_small_clip_is_upright_with_square_pixels(
    tmp_path: Path, how: dict[str, object], size: tuple[int, int]
) -> None:
    made = copied(clip(tmp_path / "a.mp4", **how))
    with av.open(str(made)) as container:
        stream = container.streams.video[0]
        frames = list(container.decode(stream))
        assert (stream.codec_context.name, stream.width, stream.height, len(frames)) == ("h264", *size, 12)
        assert round(frames[0].rotation) == 0
        seen = frames[5].to_ndarray(format="rgb24")
    assert seen[5, size[0] // 2][0] > 120 and seen[-5, size[0] // 2][2] > 120
    with av.open(str(made)) as container:
        assert container.duration == pytest.approx(480_000, abs=60_000)
        assert bool(container.streams.audio) is bool(how.get("sound", True))
    (claim, *_) = read(str(made)).claims
    assert claim.stamp.iso() == "2026-05-14T08:26:13"


def test_a_clip_says_something_else_without_another_picture(tmp_path: Path) -> None:
    made, anew = copied(clip(tmp_path / "a.mp4")), tmp_path / "anew.mp4"
    fd = os.open(anew, os.O_CREAT | os.O_RDWR)
    with made.open("rb") as old, os.fdopen(fd, "w+b") as new:
        said_anew(old, new, {})
    with av.open(str(made)) as one, av.open(str(anew)) as other:
        pairs = [[bytes(packet) for packet in container.demux(video=0)] for container in (one, other)]
        assert pairs[0] == pairs[1] and len(pairs[0]) > 10
        assert "creation_time" not in other.metadata
    stop = threading.Event()
    stop.set()
    (tmp_path / "small.mp4").unlink()
    with pytest.raises(Stopped):
        copied(tmp_path / "a.mp4", stop=stop)


def test_what_can_t_be_asked_for() -> None:
    usual = (2048, 85, Clips.FRAME, frozenset({Tells.KEYWORDS}), "")
    assert asked(*usual).tells == {Tells.KEYWORDS, Tells.DATES}
    assert asked(*usual[:3], frozenset(), "{date} {shoot}") == Asked(tells=frozenset(), names="{date} {shoot}")
    for wrong, why in (
        ((63, *usual[1:]), "64 to 16384 pixels"), ((2048, 96, *usual[2:]), "1 to 95"),
        ((*usual[:4], "{counter}"), "not counted"), ((*usual[:4], "{nonsense}"), "nonsense"),
        ((*usual[:4], "a/b"), "character 2"),
    ):  # fmt: skip
        with pytest.raises(NotPossible, match=why):
            asked(*wrong)
