"""Raws and kin: TIFF structures with makers' magics, and the containers that makers invented."""

from __future__ import annotations

import io
import struct

from PIL import Image

from jutrek.demo.shelf.boxes import box, brand, full
from jutrek.demo.stills import Shot, exif_directory, jpeg, main_directory, satellite_directory
from jutrek.demo.tags import UNDEFINED, Blob, Ifd, Value, build, long, short, text

_MOSAIC = bytes(range(256)) * 8
CR3_BOX = bytes.fromhex("85c0b687820f11e08111f4ce462b6a48")
CR3_PREVIEW = bytes.fromhex("eaf42b5e1c984b88b9fbb7dc406e4d16")


def _mosaic() -> Ifd:
    """A directory of raw picture data: 64 × 16 of 16 bits, RGGB."""
    return {
        0x0100: long(64),
        0x0101: long(16),
        0x0102: short(16),
        0x0103: short(1),
        0x0106: short(32803),
        0x0111: Blob(_MOSAIC),
        0x0116: long(16),
        0x0117: long(len(_MOSAIC)),
    }


def _preview(picture: Image.Image) -> Ifd:
    data = jpeg(picture, None)
    return {0x0103: short(6), 0x0201: Blob(data), 0x0202: long(len(data))}


def tiff(shot: Shot, *, big: bool = False) -> bytes:
    """A TIFF or BigTIFF of one strip."""
    strip: Ifd = {0x0106: short(1), 0x0102: short(8), 0x0117: long(2048), 0x0111: Blob(_MOSAIC)}
    return build([main_directory(shot) | strip | {0x0100: long(64), 0x0101: long(32)}], order=">", big=big)


def cr2(shot: Shot, picture: Image.Image) -> bytes:
    """A TIFF with its maker's mark behind the header, and a thumbnail in the second directory."""
    return build([main_directory(shot), _preview(picture), _mosaic()], after=b"CR\x02\0\0\0\0\0")


def nef(shot: Shot, picture: Image.Image) -> bytes:
    """A TIFF whose SubIFDs hold preview and raw data."""
    return build([main_directory(shot) | {0x014A: [_preview(picture), _mosaic()]}], order=">")


def orf(shot: Shot) -> bytes:
    """A TIFF with a magic of its own."""
    return build([main_directory(shot) | _mosaic()], magic=b"IIRO")


def rw2(shot: Shot, picture: Image.Image) -> bytes:
    """A TIFF with a magic of its own, which leaves shooting data to its embedded JPEG."""
    inner = Value(UNDEFINED, jpeg(picture, shot))
    ifd: Ifd = {
        0x0002: short(64),
        0x0003: short(16),
        0x002E: inner,
        0x010F: text(shot.make),
        0x0110: text(shot.model),
        0x0118: Blob(_MOSAIC),
    }
    return build([ifd], magic=b"IIU\0")


def raf(shot: Shot, picture: Image.Image) -> bytes:
    """Header, embedded JPEG, a list of records, picture data."""
    preview = jpeg(picture, shot)
    records = struct.pack(">IHHHH", 1, 0x0100, 4, 16, 64)
    at = 108
    pointers = struct.pack(
        ">IIIIII", at, len(preview), at + len(preview), len(records), at + len(preview) + len(records), len(_MOSAIC)
    )
    head = b"FUJIFILMCCD-RAW 0201" + bytes(8) + shot.model.encode().ljust(32, b"\0") + b"0100" + bytes(20)
    return head + pointers + preview + records + _MOSAIC


def mrw(shot: Shot) -> bytes:
    """Blocks: sensor, TIFF structure; then picture data."""
    blocks = b""
    sensor = b"21810002" + struct.pack(">HHHH", 18, 66, 16, 64) + bytes(8)
    for name, body in ((b"\0PRD", sensor), (b"\0TTW", build([main_directory(shot)], order=">"))):
        blocks += name + struct.pack(">I", len(body)) + body
    return b"\0MRM" + struct.pack(">I", len(blocks)) + blocks + _MOSAIC


def x3f(shot: Shot, unix: int, picture: Image.Image) -> bytes:
    """Sections of properties, preview and picture data, and their directory at the end."""
    head = struct.pack("<4sI16sIIII", b"FOVb", 0x00020003, b"velmora-line-001", 0, 64, 16, 0)
    texts, offsets = b"", b""
    pairs = {"CAMMANUF": shot.make, "CAMMODEL": shot.model, "CAMSERIAL": shot.serial, "TIME": str(unix)}
    for name, value in pairs.items():
        offsets += struct.pack("<I", len(texts) // 2)
        texts += f"{name}\0".encode("utf-16-le")
        offsets += struct.pack("<I", len(texts) // 2)
        texts += f"{value}\0".encode("utf-16-le")
    properties = struct.pack("<4sIIIII", b"SECp", 0x00020000, len(pairs), 0, 0, len(texts) // 2) + offsets + texts
    preview = struct.pack("<4sIIIIII", b"SECi", 0x00020000, 2, 0x12, 48, 32, 0) + jpeg(picture, None)
    data = struct.pack("<4sIIIIII", b"SECi", 0x00020000, 3, 0x1E, 64, 16, 0) + _MOSAIC
    out, directory = head, b""
    for kind, section in ((b"PROP", properties), (b"IMA2", preview), (b"IMA2", data)):
        directory += struct.pack("<II4s", len(out), len(section), kind)
        out += section
    return out + struct.pack("<4sII", b"SECd", 0x00020000, 3) + directory + struct.pack("<I", len(out))


def cr3(shot: Shot, picture: Image.Image) -> bytes:
    """ISO boxes with the maker's directories."""
    main = main_directory(shot) | {0x0100: long(64), 0x0101: long(16)}
    del main[0x8769]
    small = jpeg(picture, None)
    maker = box(
        b"uuid",
        CR3_BOX,
        box(b"CMT1", build([main])),
        box(b"CMT2", build([exif_directory(shot)])),
        *([box(b"CMT4", build([satellite_directory(shot.place, shot.utc)]))] if shot.place and shot.utc else []),
        full(b"THMB", struct.pack(">HHIHH", 48, 32, len(small), 1, 0), small),
    )
    preview = box(b"uuid", CR3_PREVIEW, bytes(8), full(b"PRVW", struct.pack(">HHHHI", 1, 48, 32, 1, len(small)), small))
    return brand(b"crx ", b"crx ", b"isom") + box(b"moov", maker) + preview + box(b"mdat", _MOSAIC)


def multi_picture(shot: Shot, picture: Image.Image, kind: int = 0x020002) -> bytes:
    """A JPEG with a second picture of a kind behind it (CIPA DC-007): without one, the other eye's view."""
    first, second = jpeg(picture, shot), jpeg(picture, None)
    index: Ifd = {
        0xB000: Value(UNDEFINED, b"0100"),
        0xB001: long(2),
        0xB002: Value(UNDEFINED, bytes(32)),
    }
    size = len(build([index])) + 8
    at = first.index(b"\xff\xdb")
    whole = len(first) + size
    header = at + 8
    entries = struct.pack("<IIIHH", 0x20030000, whole, 0, 0, 0) + struct.pack(
        "<IIIHH", kind, len(second), whole - header, 0, 0
    )
    index[0xB002] = Value(UNDEFINED, entries)
    body = b"MPF\0" + build([index])
    return first[:at] + b"\xff\xe2" + struct.pack(">H", len(body) + 2) + body + first[at:] + second


def motion_photo(shot: Shot, picture: Image.Image, clip: bytes) -> bytes:
    """A JPEG with a clip behind it, its length told in the XMP data."""
    packet = (
        '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
        '<rdf:Description xmlns:c="http://ns.google.com/photos/1.0/camera/" '
        f'c:MicroVideo="1" c:MicroVideoOffset="{len(clip)}"/></rdf:RDF></x:xmpmeta>'
    )
    body = b"http://ns.adobe.com/xap/1.0/\0" + packet.encode()
    first = jpeg(picture, shot)
    at = first.index(b"\xff\xdb")
    return first[:at] + b"\xff\xe1" + struct.pack(">H", len(body) + 2) + body + first[at:] + clip


def jxl(shot: Shot, *, packed: bool = False) -> bytes:
    """A JPEG XL in boxes: a stream of nothing but its size, 64 × 48, and Exif, packed if asked for."""
    import brotli

    bits = 1 | (48 // 8 - 1) << 1 | 3 << 6
    stream = b"\xff\x0a" + struct.pack("<H", bits) + bytes(16)
    exif = bytes(4) + build([main_directory(shot)])
    described = box(b"brob", b"Exif", brotli.compress(exif)) if packed else box(b"Exif", exif)
    start = box(b"JXL ", b"\r\n\x87\n")
    return start + brand(b"jxl ", b"jxl ") + described + box(b"jxlc", stream)


def encoded(picture: Image.Image, shot: Shot, form: str) -> bytes:
    """A PNG, WebP, AVIF, HEIF or GIF by its encoder, with Exif where the format has a place for it."""
    out = io.BytesIO()
    if form == "HEIF":
        import pillow_heif

        pillow_heif.register_heif_opener()
    exif = b"Exif\0\0" + build([main_directory(shot)])
    picture.save(out, form, **({} if form == "GIF" else {"exif": exif}))
    return out.getvalue()
