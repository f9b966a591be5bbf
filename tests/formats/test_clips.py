"""What clips and sounds keep in odd places, and how it comes out."""

from __future__ import annotations

import os
import struct
from datetime import datetime, timedelta
from pathlib import Path

import pytest

from jutrek.demo.shelf import boxes, clips, sounds, specimens
from jutrek.demo.shelf.boxes import box, brand, full, movie_header, user_text
from jutrek.demo.stills import Shot, main_directory
from jutrek.demo.tags import build
from jutrek.formats import Kind, read, span
from jutrek.formats.tracks import timecode_words
from tests import making
from tests.formats.common import DAY, SECONDS, SHOT, Of
from tests.making import WHEN, claims_inside, put


def test_reading_a_long_clip_touches_little_of_it(tmp_path: Path, costs: list[span.FileBytes]) -> None:
    """A clip of 4 GB with its header at the end costs under 1 MB of reading."""
    path = tmp_path / "long.mp4"
    with path.open("wb") as file:
        file.write(brand(b"isom") + struct.pack(">I4sQ", 1, b"mdat", 4_000_000_016))
        file.seek(4_000_000_000, os.SEEK_CUR)
        file.write(box(b"moov", movie_header(SECONDS)))
    assert claims_inside(read(str(path))) == [("mp4:created", DAY, "Z")]
    assert costs[0].cost < 1_000_000


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


def test_a_reference_is_unique_for_each_take_and_no_serial_number(reading: Of) -> None:
    """Only one made by EBU R 99 has the recorder's number in it, before the time of the take."""
    form = struct.pack("<HHIIHH", 1, 1, 48_000, 96_000, 2, 16)

    def serial(reference: str) -> str:
        body = struct.pack("<256s32s32s10s8s", b"", b"Lyd", reference.encode(), b"2026-05-14", b"10:26:13").ljust(
            602, b"\0"
        )
        chunks = b"".join(
            name + struct.pack("<I", len(data)) + data for name, data in ((b"bext", body), (b"fmt ", form))
        )
        device = reading(b"RIFF\0\0\0\0WAVE" + chunks).device
        return device.serial if device else ""

    assert serial("LYDR60003") == ""
    assert serial("XVLYDR6-000000417102614123456789") == ""
    assert serial("XVLYDR6-000000417102613123456789") == "R6-000000417"


def test_a_blank_clock_is_set_by_the_sample_count(reading: Of) -> None:
    """`bext` has a second witness of the time: samples since midnight."""
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
    assert reading(b"HDMV0100" + bytes(90)).kind is Kind.OTHER


def test_tracks_of_long_clips(reading: Of) -> None:
    """Headers of version 1, offsets and a size of 64 bits, and a box that reaches to the end."""
    media = full(b"mdhd", struct.pack(">QQIQHH", SECONDS, 0, 48_000, 96_000, 0, 0), version=1)
    table = box(
        b"stbl",
        full(b"stsd", struct.pack(">I", 1), box(b"sowt", bytes(16), struct.pack(">HHHHI", 2, 16, 0, 0, 48_000 << 16))),
        full(b"stsz", struct.pack(">II", 4, 1)),
        full(b"co64", struct.pack(">IQ", 1, 24)),
    )
    handler = full(b"hdlr", bytes(4), b"soun", bytes(13))
    track = box(b"trak", full(b"tkhd", bytes(88)), box(b"mdia", media, handler, box(b"minf", table)))
    moov = box(b"moov", movie_header(0), track)
    data = brand(b"isom") + struct.pack(">I4sQ", 1, b"mdat", 24) + bytes(8) + struct.pack(">I", 0) + moov[4:]
    found = reading(data)
    assert (found.kind, found.format) == (Kind.SOUND, "mp4")
    assert claims_inside(found) == [("mp4:track", DAY, "Z")]
    assert found.track is not None
    assert (found.track.channels, found.track.sample_rate) == (2, 48_000)


def test_ogg_packets_over_pages_and_other_streams(reading: Of) -> None:
    """Comments longer than a page are joined; pages of another stream between them are skipped."""

    def page(serial: int, laces: bytes, body: bytes, granule: int = 0) -> bytes:
        return struct.pack("<4sBBQIIIB", b"OggS", 0, 0, granule, serial, 0, 0, len(laces)) + laces + body

    head = b"OpusHead" + struct.pack("<BBHIHB", 1, 1, 312, 48_000, 0, 0)
    note = b"PADDING=" + b"x" * 300
    comments = b"OpusTags" + struct.pack("<I", 0) + struct.pack("<I", 2)
    comments += struct.pack("<I", len(note)) + note + struct.pack("<I", 24) + b"DATE=2026-05-14T10:26:13"
    data = page(1, bytes((len(head),)), head) + page(1, b"\xff", comments[:255]) + page(2, b"\x05", b"other")
    data += page(1, bytes((len(comments) - 255,)), comments[255:]) + page(1, b"\x01", b"\0", 48_312)
    found = reading(data)
    assert claims_inside(found) == [("vorbis:date", DAY, None)]
    assert found.duration == 1.0


def test_tags_with_unsynchronisation_and_before_other_sound(reading: Of) -> None:
    """A zero behind every 0xFF is taken out; a tag before FLAC does not make it MP3."""
    text_16 = b"\x01\xff\xfe" + "2026".encode("utf-16-le")
    frame = b"TYER" + struct.pack(">IH", len(text_16), 0) + text_16
    body = frame.replace(b"\xff", b"\xff\x00")
    tag = b"ID3\x03\0\x80" + bytes((0, 0, len(body) >> 7, len(body) & 127)) + body
    assert claims_inside(reading(tag + (b"\xff\xfb\x90\xc4" + bytes(413)) * 3)) == [("id3:recorded", "2026", None)]
    found = reading(sounds.id3(4, ("TDRC", DAY)) + specimens()["take.flac"])
    assert found.format == "flac"
    assert [at for at, *_ in claims_inside(found)] == ["id3:recorded", "bext"]


def test_a_day_in_the_tags_is_no_time_of_recording(reading: Of) -> None:
    """`©day` without keys: a year or a day is as often one of publishing; with a time of day it is the camera's."""

    def tagged(words: str) -> bytes:
        item = box(b"\xa9day", box(b"data", struct.pack(">II", 1, 0), words.encode()))
        handler = box(b"hdlr", bytes(8), b"mdir", bytes(13))
        return brand(b"M4A ") + box(b"moov", box(b"udta", full(b"meta", handler, box(b"ilst", item))))

    assert claims_inside(reading(tagged("2026"))) == [("mp4:day", "2026", None)]
    found = reading(tagged(f"{DAY}+0200"))
    assert claims_inside(found) == [("qt:creationdate", DAY, "+02:00")]
    assert found.kind is Kind.SOUND


def test_a_date_deeper_in_the_stream_is_looked_for(reading: Of, costs: list[span.FileBytes]) -> None:
    """AVCHD: most tell the date at once; where the first 32 kB do not, more is read."""
    stream = clips.avchd(WHEN, 0x04)
    head, pictures = stream[: 2 * 192], stream[2 * 192 :]
    filler = stream[-192:] * 300
    assert claims_inside(reading(head + pictures + filler))[0][0] == "mdpm"
    assert costs[0].cost < 120_000
    assert claims_inside(reading(head + filler + pictures))[0][0] == "mdpm"
