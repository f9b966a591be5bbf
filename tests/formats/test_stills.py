"""What stills keep in odd places, and how it comes out."""

from __future__ import annotations

import io
import os
import struct
import zlib
from pathlib import Path

import pytest
from PIL import Image

from jutrek.demo import stills
from jutrek.demo.shelf import raws
from jutrek.demo.shelf.boxes import box, brand, full
from jutrek.demo.stills import Shot, main_directory
from jutrek.demo.tags import Value, build, rational, text
from jutrek.errors import SourceUnreadable
from jutrek.formats import Kind, Wording, read, span
from tests import making
from tests.formats.common import DAY, EXIF, SHOT, XMP, Of, jpeg_with
from tests.making import WHEN, claims_inside, put


def test_a_truncated_picture_says_so_and_keeps_its_date(reading: Of) -> None:
    """Reading less is not failing: the date before the cut is still there."""
    found = reading(making.jpeg()[:-40])
    assert SHOT in claims_inside(found)
    assert any("cut off" in note for note in found.notes)


def test_reading_a_large_raw_touches_little_of_it(tmp_path: Path, costs: list[span.FileBytes]) -> None:
    """A raw of 60 MB whose directories stand at its end costs under 256 kB, its preview left alone."""
    data = raws.nef(Shot(WHEN, "Arlen", "M2", "A2-1"), making.picture())
    path = tmp_path / "large.nef"
    with path.open("wb") as file:
        file.write(data)
        file.truncate(60_000_000)
    found = read(str(path))
    assert SHOT in claims_inside(found)
    assert found.previews
    assert costs[0].cost < 256_000


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


def png(*chunks: tuple[bytes, bytes]) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (4, 3)).save(out, "PNG")
    picture = out.getvalue()
    more = b"".join(
        struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body)) for name, body in chunks
    )
    end = picture.index(b"IEND") - 4
    return picture[:end] + more + picture[end:]


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
    ([(b"IDAT", b"")] * 200 + [(b"eXIf", EXIF)], SHOT),
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


@pytest.mark.parametrize(
    ("software", "make", "at"),
    [
        ("", "Arlen", "exif:stamped"), ("Ver.1.02", "Arlen", "exif:stamped"),
        ("Arlen M2 V1.0", "Arlen", "exif:stamped"), ("Retoucher 12", "Arlen", "exif:changed"),
        ("", "", "exif:changed"),
    ],
)  # fmt: skip
def test_only_the_device_s_own_stamp_tells_when_it_was_made(software: str, make: str, at: str, reading: Of) -> None:
    """The same tag is of the last change as soon as an editor is named, or no device is."""
    directory = {0x0132: text("2026:05:14 10:26:13")}
    directory |= {0x010F: text(make), 0x0110: text("M2")} if make else {}
    directory |= {0x0131: text(software)} if software else {}
    claims = reading(jpeg_with(0xE1, b"Exif\0\0" + build([directory]))).claims
    assert [claim.at for claim in claims if claim.at.startswith("exif")] == [at]


def test_a_gif_keeps_its_packet_as_it_is(reading: Of) -> None:
    """XMP in an application extension, behind others; one without its trailer, and endless blocks, cost nothing."""
    plain = io.BytesIO()
    Image.new("P", (6, 4)).save(plain, "GIF")
    data = plain.getvalue()
    at = 13 + (3 << (data[10] & 7) + 1 if data[10] & 0x80 else 0)
    packet = XMP.format(
        "<r:Description xmlns:e='http://ns.adobe.com/exif/1.0/' e:DateTimeOriginal='2026-05-14T10:26:13'/>"
    )
    trailer = b"\x01" + bytes(range(255, -1, -1)) + b"\0"
    other = b"\x21\xff\x0bOTHER   1.0\x03abc\0"

    def found(extension: bytes) -> list[tuple[str, str, str | None]]:
        return claims_inside(reading(data[:at] + extension + data[at:]))

    whole = b"\x21\xff\x0bXMP DataXMP" + packet.encode() + trailer
    assert found(other + whole) == [("xmp:original", DAY, None)]
    assert found(whole.replace(trailer, b"\0")) == found(b"\x21\xfe" + b"\x01x" * 5000) == []


@pytest.mark.parametrize("marker", [0xE3, 0xE1])
@pytest.mark.parametrize("size", [12, 400, 60_000])
def test_what_stands_behind_a_wrong_length_is_found(size: int, marker: int, reading: Of) -> None:
    """A segment that says it is shorter or longer than it is, or longer than the file, hides nothing behind it."""
    packet = b"http://ns.adobe.com/xap/1.0/\0" + XMP.format(ATTRIBUTE).encode()
    whole = jpeg_with(0xE1, packet)
    broken = whole[:2] + bytes((0xFF, marker)) + size.to_bytes(2) + bytes(range(33, 93)) + whole[2:]
    found = reading(broken)
    assert claims_inside(found) == [("xmp:created", "2026", None)]
    assert "wrong length" in found.notes[0]
    assert (found.width, found.height) == (reading(whole).width, reading(whole).height)


def test_satellite_hours_may_have_a_fraction(reading: Of) -> None:
    """Some writers put minutes into the hours."""
    gps = {7: rational((8_5, 10), (0, 1), (0, 1)), 0x1D: text("2026:05:14")}
    assert claims_inside(reading(jpeg_with(0xE1, b"Exif\0\0" + build([{0x8825: [gps]}])))) == [
        ("gps", "2026-05-14T08:30:00", "Z")
    ]


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


def test_exif_behind_long_segments_is_found(reading: Of) -> None:
    """A colour profile of 60 kB may stand before the Exif segment."""
    plain, exif = making.jpeg(None), b"Exif\0\0" + EXIF
    profile = b"\xff\xe2\xea\x62ICC_PROFILE\0" + bytes(60_000 - 12)
    segment = b"\xff\xe1" + struct.pack(">H", len(exif) + 2) + exif
    found = reading(plain[:2] + profile + segment + plain[2:])
    assert SHOT in claims_inside(found)
    assert (found.width, found.height) == (48, 32)


def test_where_the_picture_stands(reading: Of) -> None:
    """The payload begins behind what describes the picture and ends before what follows it: tags do not move it."""
    payloads = []
    shot, same = Shot(WHEN, "A", "M", ""), making.picture()
    for data in (stills.jpeg(same, shot), stills.jpeg(same, None), raws.multi_picture(shot, same)):
        (stretch,) = reading(data).payload
        payloads.append(data[stretch.offset : stretch.offset + stretch.size])
    assert payloads[1].startswith(b"\xff\xdb")
    assert payloads[1].endswith(b"\xff\xd9")
    clip = making.mp4()
    shot = Shot(WHEN, "Skarv", "P4", "")
    moving = raws.motion_photo(shot, making.picture(), clip)
    found = reading(moving)
    assert found.motion is not None
    assert moving[found.motion.offset :] == clip
    assert found.payload[0].offset + found.payload[0].size == found.motion.offset
    assert not found.notes
    assert payloads[0] == payloads[1] == payloads[2]


def test_only_thumbnails_among_further_pictures_are_previews(reading: Of) -> None:
    """A gain map or the other eye's view must not be shown for the picture."""
    shot = Shot(WHEN, "Skarv", "P4", "")
    for kind, count in ((0, 0), (0x020002, 0), (0x010001, 1), (0x010002, 1)):
        assert len(reading(raws.multi_picture(shot, making.picture(), kind)).previews) == count


def test_a_length_that_is_no_clip_is_no_motion_part(reading: Of) -> None:
    """The XMP data may promise what an editor has cut away."""
    data = raws.motion_photo(Shot(WHEN, "Skarv", "P4", ""), making.picture(), bytes(500))
    assert reading(data).motion is None


def test_a_container_lists_its_motion_part(reading: Of) -> None:
    """The newer spelling: an item of the container's directory, as attributes."""
    clip = making.mp4()
    item = "http://ns.google.com/photos/1.0/container/item/"
    packet = XMP.format(f"<r:Description xmlns:i='{item}' i:Semantic='MotionPhoto' i:Length='{len(clip)}'/>").encode()
    found = reading(jpeg_with(0xE1, b"http://ns.adobe.com/xap/1.0/\0" + packet) + clip)
    assert found.motion is not None
    assert found.motion.size == len(clip)


def test_items_of_wide_directories(reading: Of) -> None:
    """HEIF: item numbers of 32 bits, base offsets, an index, and a construction that nobody can follow."""
    exif = bytes(4) + EXIF
    head = brand(b"avif")
    data = box(b"mdat", exif)
    entry = full(b"infe", struct.pack(">IH4s", 70_000, 0, b"Exif"), b"\0", version=3)
    other = full(b"infe", struct.pack(">IH4s", 70_001, 0, b"Exif"), b"\0", version=3)
    place = struct.pack(">IHHQHQQQ", 70_000, 0, 0, len(head), 1, 0, 8, len(exif))
    place += struct.pack(">IHHQHQQQ", 70_001, 2, 0, 0, 1, 0, 8, len(exif))
    meta = full(
        b"meta",
        full(b"iinf", struct.pack(">I", 2), entry, other, version=1),
        full(b"iloc", struct.pack(">HI", 0x8888, 2), place, version=2),
    )
    found = reading(head + data + meta)
    assert found.format == "avif"
    assert claims_inside(found)[0] == SHOT


def test_what_a_person_wrote_about_the_content_is_read(reading: Of) -> None:
    """Title, place, job and keywords, from XMP and from press data; each once, none of it a claim."""
    inner = (
        "<r:Description xmlns:d='http://purl.org/dc/elements/1.1/' xmlns:p='http://ns.adobe.com/photoshop/1.0/' "
        "p:City='Depot' p:TransmissionReference='26-014'><d:title><r:Alt><r:li>The  viaduct</r:li></r:Alt></d:title>"
        "<d:subject><r:Bag><r:li>rail</r:li><r:li>rail</r:li><r:li>bridge</r:li></r:Bag></d:subject></r:Description>"
    )
    assert reading(XMP.format(inner).encode()).wording == Wording("The viaduct", "Depot", "26-014", ("rail", "bridge"))
    sets = ((5, "Viadukt"), (25, "Bahn"), (25, "Brücke"), (92, "Depot"), (103, "7"))
    block = b"".join(bytes((0x1C, 2, number, 0, len(text.encode()))) + text.encode() for number, text in sets)
    resources = b"8BIM\x04\x04\0\0" + len(block).to_bytes(4, "big") + block + b"\0" * (len(block) % 2)
    found = reading(jpeg_with(0xED, b"Photoshop 3.0\0" + resources))
    assert found.wording == Wording("Viadukt", "Depot", "7", ("Bahn", "Brücke"))
    assert claims_inside(found) == []
