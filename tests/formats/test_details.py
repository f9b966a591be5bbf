"""What single formats keep in odd places, and how it comes out."""

from __future__ import annotations

import io
import os
import struct
import zlib
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path

import pytest
from PIL import Image

from jutrek.demo.shelf import boxes, clips, raws, sounds
from jutrek.demo.shelf.boxes import box, brand, full, movie_header, since_1904, user_text
from jutrek.demo.stills import Shot, main_directory
from jutrek.demo.tags import Value, build, rational, text
from jutrek.errors import SourceUnreadable
from jutrek.formats import Kind, Reading, read, span
from jutrek.formats.tracks import timecode_words
from tests import making
from tests.making import WHEN, claims_inside, put

DAY = "2026-05-14T10:26:13"
SHOT = ("exif:original", f"{DAY}.42", "+02:00")
SECONDS = since_1904(WHEN)


@pytest.fixture
def reading(tmp_path: Path) -> Callable[..., Reading]:
    """Reads bytes as a file of some name."""

    def of(data: bytes, name: str = "a.bin") -> Reading:
        return read(str(put(tmp_path / name, data)))

    return of


Of = Callable[..., Reading]


def test_a_truncated_picture_says_so_and_keeps_its_date(reading: Of) -> None:
    """Reading less is not failing: the date before the cut is still there."""
    found = reading(making.jpeg()[:-40])
    assert SHOT in claims_inside(found)
    assert any("cut off" in note for note in found.notes)


@pytest.fixture
def costs(monkeypatch: pytest.MonkeyPatch) -> list[span.FileBytes]:
    """The files opened for reading; each knows what it cost in bytes."""
    opened: list[span.FileBytes] = []
    make = span.FileBytes.__init__
    monkeypatch.setattr(span.FileBytes, "__init__", lambda self, *a: (opened.append(self), make(self, *a))[1])
    return opened


def test_reading_a_long_clip_touches_little_of_it(tmp_path: Path, costs: list[span.FileBytes]) -> None:
    """A clip of 4 GB with its header at the end costs under 1 MB of reading."""
    path = tmp_path / "long.mp4"
    with path.open("wb") as file:
        file.write(brand(b"isom") + struct.pack(">I4sQ", 1, b"mdat", 4_000_000_016))
        file.seek(4_000_000_000, os.SEEK_CUR)
        file.write(box(b"moov", movie_header(SECONDS)))
    assert claims_inside(read(str(path))) == [("mp4:created", DAY, "Z")]
    assert costs[0].cost < 1_000_000


def test_reading_a_large_raw_touches_little_of_it(tmp_path: Path, costs: list[span.FileBytes]) -> None:
    """A raw of 60 MB whose directories stand at its end costs under 256 kB, its preview left alone."""
    data = raws.nef(Shot(WHEN, "Arlen", "M2", "A2-1"), making.picture())
    path = tmp_path / "large.nef"
    with path.open("wb") as file:
        file.write(data)
        file.truncate(60_000_000)
    found = read(str(path))
    assert SHOT in claims_inside(found)
    assert found.preview is not None
    assert costs[0].cost < 256_000


def test_tags_behind_the_clusters_are_found(reading: Of, costs: list[span.FileBytes]) -> None:
    """A Matroska seek head is followed past 3 GB to tags; the absence of a date is not 2001; dates may be before it."""

    def element(number: str, body: bytes) -> bytes:
        return bytes.fromhex(number) + struct.pack(">Q", len(body) | 1 << 56) + body

    tag = element("67C8", element("45A3", b"DATE_RECORDED") + element("4487", DAY.encode()))
    tags = element("1254C367", element("7373", tag))
    info = element("1549A966", element("4461", struct.pack(">q", -86_400 * 10**9)))
    at = 200
    seek = element(
        "114D9B74", element("4DBB", element("53AB", bytes.fromhex("1254C367")) + element("53AC", bytes((at,))))
    )
    body = (seek + info + element("EC", bytes(at)))[:at] + tags
    data = element("1A45DFA3", element("4282", b"matroska")) + bytes.fromhex("18538067") + b"\x01" + b"\xff" * 7
    cluster = element("1F43B675", b"")
    body = seek + info + cluster
    body += element("EC", bytes(at - len(body) - 9)) + tags
    assert claims_inside(reading(data + body)) == [
        ("mkv:created", "2000-12-31T00:00:00", "Z"),
        ("mkv:recorded", DAY, None),
    ]
    assert claims_inside(reading(data + element("1549A966", b""))) == []


def test_a_header_counted_from_1970_is_taken_and_told(reading: Of) -> None:
    """A movie time too small to be counted from 1904 after 1970 is counted from 1970."""
    seconds = int((WHEN - datetime(1970, 1, 1)).total_seconds())
    found = reading(brand(b"isom") + box(b"moov", movie_header(seconds, version=1)))
    assert claims_inside(found) == [("mp4:created", DAY, "Z")]
    assert "1970" in found.notes[0]


def test_a_movie_without_header_and_a_blank_date_make_no_claim(reading: Of) -> None:
    """A recording that was never closed says so; zero is no date; the track's own time stands in for it."""
    assert "not have been closed" in reading(brand(b"isom") + box(b"mdat", bytes(9))).notes[0]
    assert not claims_inside(reading(box(b"moov", movie_header(0))))
    track = boxes.track(b"vide", box(b"avc1", bytes(78)), seconds=SECONDS, picture=(64, 48))
    assert claims_inside(reading(box(b"moov", movie_header(0), track))) == [("mp4:track", DAY, "Z")]


@pytest.mark.parametrize("start", [b"wide", b"free", b"skip", b"mdat"])
def test_a_movie_may_begin_with_other_boxes(start: bytes, reading: Of) -> None:
    """Old movies have no `ftyp`."""
    assert claims_inside(reading(box(start, bytes(8)) + box(b"moov", movie_header(SECONDS))))[0][1] == DAY


def test_metadata_of_a_still_may_come_behind_its_data(reading: Of) -> None:
    """HEIF: `meta` behind a megabyte of data, an item in two extents, another in `idat`."""
    exif = bytes(4) + build([main_directory(Shot(WHEN, "Arlen", "M2", "A2-1"))])
    half = len(exif) // 2
    head = brand(b"mif1", b"mif1", b"heic")
    data = box(b"mdat", exif[half:], bytes(1_000_000), exif[:half])
    first, second = len(head) + 8 + len(exif) - half + 1_000_000, len(head) + 8
    entries = full(b"infe", struct.pack(">HH4s", 1, 0, b"Exif"), b"\0", version=2)
    entries += full(b"infe", struct.pack(">HH4s", 2, 0, b"mime"), b"\0application/rdf+xml\0", version=2)
    place = struct.pack(">HHHHIIII", 1, 0, 0, 2, first, half, second, len(exif) - half)
    packet = making.xmp("2026-05-15")
    place += struct.pack(">HHHHII", 2, 1, 0, 1, 0, len(packet))
    meta = full(
        b"meta",
        full(b"iinf", struct.pack(">H", 2), entries),
        full(b"iloc", struct.pack(">HH", 0x4400, 2), place, version=1),
        box(b"idat", packet),
    )
    found = reading(head + data + meta)
    assert (found.kind, found.format) == (Kind.STILL, "heic")
    assert SHOT in claims_inside(found)
    assert ("xmp:original", "2026-05-15", None) in claims_inside(found)


def test_positions_as_text_and_as_numbers(reading: Of) -> None:
    """ISO 6709 in user data and `loci` of 3GPP."""
    moov = box(b"moov", box(b"udta", user_text(b"\xa9xyz", "+46.5-007.25/")))
    assert reading(brand(b"qt  ") + moov).position == (46.5, -7.25)
    loci = full(b"loci", b"\0\0", b"Velmora\0", b"\0", struct.pack(">iii", -7 * 65536 - 16384, 46 * 65536 + 32768, 0))
    assert reading(brand(b"3gp5") + box(b"moov", box(b"udta", loci))).position == (46.5, -7.25)


def test_makers_tag_lists_and_bare_exif_in_user_data(reading: Of) -> None:
    """A list of tags of a maker, and an Exif block in a box that nobody has described."""
    tags = b"".join(
        struct.pack(">IHH", tag, 2, len(words)) + words
        for tag, words in ((1, b"Arlen\0"), (2, b"M2\0"), (0x12, b"2026:05:14 10:26:13\0"))
    )
    listed = reading(brand(b"qt  ") + box(b"moov", box(b"udta", box(b"NCDT", box(b"NCTG", tags)))))
    assert claims_inside(listed) == [("qt:creationdate", DAY, None)]
    assert listed.device is not None
    assert (listed.device.make, listed.device.model) == ("Arlen", "M2")
    bare = box(b"MAKR", b"\0\0\0\0velmora" + build([main_directory(Shot(WHEN, "Arlen", "M2", "A2-1"))]))
    assert SHOT in claims_inside(reading(brand(b"mp42") + box(b"moov", box(b"udta", bare))))


def test_telemetry_with_positions(reading: Of) -> None:
    """Newer telemetry counts days and milliseconds; without a fix there is no time."""

    def gps(fix: int) -> bytes:
        days = (WHEN - datetime(2000, 1, 1)).days
        clock = (8 * 3600 + 26 * 60 + 13) * 1000
        values = struct.pack(">iiiiiiiHH", 395_000_000, -53_000_000, 0, 0, 0, days, clock, 100, fix)
        return boxes.clip(movie_header(SECONDS), box(b"udta", box(b"GPMF", clips.telemetry(b"GPS9", b"?", 32, values))))

    found = reading(gps(3))
    assert ("gps", "2026-05-14T08:26:13", "Z") in claims_inside(found)
    assert found.position == (39.5, -5.3)
    assert reading(gps(0)).position is None


@pytest.mark.parametrize(
    ("frames", "rate", "drops", "words"),
    [
        (0, 25, False, "00:00:00:00"),
        (1800, 30, True, "00:01:00;02"),
        (17_982, 30, True, "00:10:00;00"),
        (5, 0, False, ""),
    ],
)
def test_timecode_counts_as_the_standard_does(frames: int, rate: int, drops: bool, words: str) -> None:
    """Dropped numbers: two a minute, but not in every tenth."""
    assert timecode_words(frames, rate, drops=drops) == words


def png(*chunks: tuple[bytes, bytes]) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (4, 3)).save(out, "PNG")
    picture = out.getvalue()
    more = b"".join(
        struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body)) for name, body in chunks
    )
    end = picture.index(b"IEND") - 4
    return picture[:end] + more + picture[end:]


EXIF = build([main_directory(Shot(WHEN, "Arlen", "M2", "A2-1"))])
PROFILE = b"Raw profile type exif\0\nexif\n%8d\n" % (len(EXIF) + 6) + (b"Exif\0\0" + EXIF).hex().encode()
PRESS = b"\x1c\x02\x37\0\x0820260514\x1c\x02\x3c\0\x0b102613+0200"
RESOURCES = b"8BIM\x04\x04\0\0" + struct.pack(">I", len(PRESS)) + PRESS
TEXTS = [
    ([(b"eXIf", EXIF)], SHOT),
    ([(b"tEXt", PROFILE)], SHOT),
    ([(b"zTXt", PROFILE.replace(b"exif\0", b"exif\0\0", 1)[:23] + zlib.compress(PROFILE[22:]))], SHOT),
    ([(b"iTXt", b"XML:com.adobe.xmp\0\0\0\0\0" + making.xmp())], ("xmp:original", DAY, "+02:00")),
    ([(b"iTXt", b"XML:com.adobe.xmp\0\1\0\0\0" + zlib.compress(making.xmp()))], ("xmp:original", DAY, "+02:00")),
    ([(b"tEXt", b"Creation Time\0Thu, 14 May 2026 10:26:13 +0200")], ("png:created", DAY, "+02:00")),
    ([(b"tIME", struct.pack(">HBBBBB", 2026, 5, 14, 10, 26, 13))], ("png:changed", DAY, "Z")),
    ([(b"tEXt", b"Raw profile type iptc\0\niptc\n 9\n" + RESOURCES.hex().encode())], ("iptc", DAY, "+02:00")),
    ([(b"IDAT", b"")] * 700 + [(b"eXIf", EXIF)], SHOT),
]


@pytest.mark.parametrize(("chunks", "claim"), TEXTS)
def test_png_keeps_dates_in_many_places(
    chunks: list[tuple[bytes, bytes]], claim: tuple[str, str, str], reading: Of
) -> None:
    """Behind the picture, in texts plain and packed, and behind very many chunks."""
    found = reading(png(*chunks))
    assert claim in claims_inside(found)
    assert (found.width, found.height) == (4, 3)


def test_webp_exif_with_and_without_its_prefix(reading: Of) -> None:
    """Writers disagree about the prefix."""
    for prefix in (b"", b"Exif\0\0"):
        body = prefix + EXIF
        data = b"VP8X" + struct.pack("<IB3x", 10, 8) + bytes((9, 0, 0, 4, 0, 0))
        data += b"EXIF" + struct.pack("<I", len(body)) + body
        found = reading(b"RIFF" + struct.pack("<I", 4 + len(data)) + b"WEBP" + data)
        assert SHOT in claims_inside(found)
        assert (found.width, found.height) == (10, 5)


def jpeg_with(marker: int, body: bytes) -> bytes:
    plain = making.jpeg(None)
    return plain[:2] + b"\xff" + bytes((marker,)) + struct.pack(">H", len(body) + 2) + body + plain[2:]


def test_press_data_are_read(reading: Of) -> None:
    """IPTC in a JPEG's resources: the date, the time and its zone."""
    assert claims_inside(reading(jpeg_with(0xED, b"Photoshop 3.0\0" + RESOURCES))) == [("iptc", DAY, "+02:00")]


def phone_note(content: str, burst: str) -> bytes:
    """The maker note of one family of phones: a directory at 14, offsets counted from the note's start."""
    ifd = {0x000B: text(burst), 0x0011: text(content)}
    body = bytearray(build([ifd], order=">")[8:])
    for number in range(len(ifd)):
        at = 2 + 12 * number + 8
        body[at : at + 4] = struct.pack(">I", struct.unpack(">I", body[at : at + 4])[0] + 6)
    return b"Apple iOS\0\0\x01MM" + bytes(body)


def test_what_ties_files_together_is_found(reading: Of) -> None:
    """A phone's note ties still and clip, and the frames of a burst; a recorder's iXML names scene, take and tape."""
    ifd = main_directory(Shot(WHEN, "Skarv", "P4", ""))
    exif = ifd[0x8769]
    assert isinstance(exif, list)
    exif[0][0x927C] = Value(7, phone_note("7F0E-BRIDGE", "B-0001-LONG"))
    ties = reading(jpeg_with(0xE1, b"Exif\0\0" + build([ifd]))).ties
    assert {(tie.kind, tie.value) for tie in ties} == {("content", "7F0E-BRIDGE"), ("burst", "B-0001-LONG")}
    assert {tie.kind for tie in reading(making.wav()).ties} == {"scene", "take"}


def test_raws_are_named_by_what_is_inside(reading: Of) -> None:
    """The maker names a raw; a mark behind the header does; without either the extension may."""
    for make, form in (("NIKON CORPORATION", "nef"), ("SONY", "arw"), ("PENTAX", "pef"), ("SAMSUNG", "srw")):
        data = raws.nef(Shot(WHEN, make, "M2", "1"), making.picture())
        assert reading(data, "a.tif").format == form
    assert reading(raws.tiff(Shot(WHEN, "Arlen", "M2", "1")), "a.arw").format == "arw"


def test_a_zone_beside_and_a_trailing_zone(reading: Of) -> None:
    """An offset of another date is not the original's; TIFF/EP's zone in hours is; so is one at the end of the text."""

    def shot(**tags: Value) -> bytes:
        exif = {int(tag[1:], 16): value for tag, value in tags.items()}
        return jpeg_with(0xE1, b"Exif\0\0" + build([{0x8769: [exif]}], order=">"))

    plain = text("2026:05:14 10:26:13")
    assert claims_inside(reading(shot(x9003=plain, x9010=text("+02:00")))) == [("exif:original", DAY, None)]
    assert claims_inside(reading(shot(x9003=plain, x882A=Value(8, struct.pack(">h", -7))))) == [
        ("exif:original", DAY, "-07:00")
    ]
    assert claims_inside(reading(shot(x9003=text(f"{DAY}-07:00", 7)))) == [("exif:original", DAY, "-07:00")]
    odd = reading(shot(x9003=text("2026:05:14 10:05:73")))
    assert claims_inside(odd) == [("exif:original", "2026-05-14", None)]
    assert "no such time of day" in odd.notes[0]


def test_satellite_hours_may_have_a_fraction(reading: Of) -> None:
    """Some writers put minutes into the hours."""
    gps = {7: rational((8_5, 10), (0, 1), (0, 1)), 0x1D: text("2026:05:14")}
    assert claims_inside(reading(jpeg_with(0xE1, b"Exif\0\0" + build([{0x8825: [gps]}])))) == [
        ("gps", "2026-05-14T08:30:00", "Z")
    ]


XMP = "<x:xmpmeta xmlns:x='adobe:ns:meta/'><r:RDF xmlns:r='http://www.w3.org/1999/02/22-rdf-syntax-ns#'>{}</r:RDF></x:xmpmeta>"
ELEMENT = (
    "<r:Description xmlns:xap='http://ns.adobe.com/xap/1.0/'><xap:CreateDate>2026-05</xap:CreateDate></r:Description>"
)
ATTRIBUTE = '<r:Description xmlns:any="http://ns.adobe.com/photoshop/1.0/" any:DateCreated="2026"/>'


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16"])
@pytest.mark.parametrize(
    ("inner", "claim"), [(ELEMENT, ("xmp:digitized", "2026-05", None)), (ATTRIBUTE, ("xmp:created", "2026", None))]
)
def test_xmp_is_matched_by_namespace(encoding: str, inner: str, claim: tuple[str, str, None], reading: Of) -> None:
    """Whatever the prefix, as element or attribute, of any precision, in any encoding."""
    assert claims_inside(reading(XMP.format(inner).encode(encoding))) == [claim]


def test_ids_of_all_versions(reading: Of) -> None:
    """Days and months of 2.2 and 2.3 are DDMM; encoding and tagging are not recording."""
    frame = b"\xff\xfb\x90\xc4" + bytes(413)
    for version, names in ((2, ("TYE", "TDA", "TIM")), (3, ("TYER", "TDAT", "TIME"))):
        tag = sounds.id3(version, *zip(names, ("2026", "1405", "1026"), strict=True))
        assert claims_inside(reading(tag + frame * 3)) == [("id3:recorded", DAY[:16], None)]
    tag = sounds.id3(4, ("TDTG", "2026-06-01"), ("TDEN", "2026-05-30"), ("TDRC", DAY))
    found = reading(tag + frame * 3)
    assert found.format == "mp3"
    assert [at for at, *_ in claims_inside(found)] == ["id3:recorded", "id3:encoded", "id3:tagged"]
    assert reading(frame * 3).format == "mp3"


def test_wide_wav_and_a_blank_clock(reading: Of) -> None:
    """RF64 keeps its sizes apart; `bext` has a second witness of the time: samples since midnight."""
    wide = reading(sounds.wav_64(WHEN))
    assert wide.duration == pytest.approx(0.1)
    assert claims_inside(wide) == [("bext", DAY, None)]
    found = reading(making.wav().replace(b"10:26:13", b"        "))
    assert claims_inside(found) == [("bext", DAY, None)]
    assert "sample count" in found.notes[0]


def test_tape_in_avi_and_other_spellings(reading: Of) -> None:
    """AVI: DV packs in the first frame, `IDIT` in several spellings, `ICRD`."""
    for spelled, iso in (("2026/ 5/14/ 10:26", DAY[:16]), ("2026-05-14T10:26:13", DAY)):
        assert claims_inside(reading(clips.avi(spelled, maker_date="2026-05-14"))) == [
            ("idit", iso, None),
            ("info:created", "2026-05-14", None),
        ]
    assert ("dv", DAY, None) in claims_inside(reading(clips.avi("", tape=clips.dv(WHEN))))


def test_packs_that_are_blank_or_impossible(reading: Of) -> None:
    """DV: no date is no claim; an impossible time leaves the day."""
    frame = clips.dv(WHEN)
    assert claims_inside(reading(frame.replace(b"\x62\xff", b"\x65\xff"))) == []
    assert claims_inside(reading(frame.replace(b"\x63\xff\x93", b"\x63\xff\xf9"))) == [("dv", "2026-05-14", None)]


def test_zones_of_camcorders(reading: Of) -> None:
    """The zone's byte: hours and half hours with a sign; summer time leaves it open."""
    for byte, offset in ((0x04, "+02:00"), (0x27, "-03:30"), (0x44, None), (0xFF, None)):
        assert claims_inside(reading(clips.avchd(WHEN, byte))) == [("mdpm", DAY, offset)]


def test_what_stands_beside_a_clip_is_told_with_its_name(tmp_path: Path) -> None:
    """Clip data, subtitles and thumbnails beside a clip are its claims, and say where they stand."""
    put(tmp_path / "C1M01.XML", clips.clip_data(WHEN, "+02:00", "Hovar", "4K", "H4-1"))
    put(tmp_path / "C1.SRT", clips.subtitles(WHEN, (39.5, -5.3)))
    put(tmp_path / "C1.THM", making.jpeg())
    found = read(str(put(tmp_path / "C1.MP4", making.mp4(WHEN - timedelta(hours=2)))))
    told = {claim.at: claim.where for claim in found.claims}
    assert told["clipdata"].endswith("in C1M01.XML beside it")
    assert told["srt"].endswith("in C1.SRT beside it")
    assert told["exif:original"].endswith("in C1.THM beside it")
    assert found.position == (39.5, -5.3)
    assert found.device is not None
    assert found.device.serial == "H4-1"


def test_subtitles_of_other_makers_and_edits_of_phones(reading: Of) -> None:
    """Other spellings of date and position; an edit's date is never one of shooting; players' files hold none."""
    found = reading(b"1\r\n00:00:00,000 --> 00:00:00,033\r\nGPS(-5.3,39.5,18) BAROMETER:99\r\n2026.05.14 10:26:13\r\n")
    assert claims_inside(found) == [("srt", DAY, None)]
    assert found.position == (39.5, -5.3)
    edit = "<?xml version='1.0'?><plist><dict><key>adjustmentBaseVersion</key><integer>0</integer>"
    edit += "<key>adjustmentTimestamp</key><date>2026-05-14T10:26:13Z</date></dict></plist>"
    assert claims_inside(reading(edit.encode())) == [("aae:changed", DAY, "+00:00")]
    assert reading(b"HDMV0100" + bytes(90)).kind is Kind.SIDECAR


@pytest.mark.parametrize("kind", ["fifo", "link", "folder", "missing"])
def test_what_is_no_file_is_refused_at_once(kind: str, tmp_path: Path) -> None:
    """A FIFO does not block, a link is not followed."""
    path = tmp_path / "thing"
    if kind == "fifo":
        os.mkfifo(path)
    elif kind == "link":
        path.symlink_to(put(tmp_path / "a.jpg", making.jpeg()))
    elif kind == "folder":
        path.mkdir()
    with pytest.raises(SourceUnreadable):
        read(str(path))
