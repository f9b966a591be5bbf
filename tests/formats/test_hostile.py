"""Hostile files: lying lengths, loops, crowds, depth, bombs. They cost little and raise nothing."""

from __future__ import annotations

import struct
import time
import tracemalloc
import zlib
from collections.abc import Callable
from pathlib import Path

import brotli
import pytest

from jutrek.demo.shelf.boxes import box, brand, full
from jutrek.demo.shelf.clips import telemetry
from jutrek.demo.tags import Ifd, Value, build, long
from jutrek.formats import STUMBLED, read
from tests.making import put

U32, U64 = 2**32 - 1, 2**64 - 1
JXL = b"\0\0\0\x0cJXL \r\n\x87\n"
CLOCK, MEMORY = 0.1, 64 * 1024 * 1024
"""Seconds of computing and bytes of memory that reading any file may take."""
USUAL = 0.02
"""Seconds of computing that the yardstick takes on the machines that the limit is meant for."""


def ifd(count: int, body: bytes, following: int = 0, order: str = "<") -> bytes:
    mark = b"II" if order == "<" else b"MM"
    return mark + struct.pack(order + "HIH", 42, 8, count) + body + struct.pack(order + "I", following)


def entry(tag: int, kind: int, many: int, value: int) -> bytes:
    return struct.pack("<HHII", tag, kind, many, value)


def jpeg_with(marker: int, body: bytes) -> bytes:
    return b"\xff\xd8\xff" + bytes((marker,)) + struct.pack(">H", min(len(body) + 2, 65_535)) + body


def chunk(name: bytes, body: bytes, size: int | None = None) -> bytes:
    return name + struct.pack("<I", len(body) if size is None else size) + body


def png(*chunks: tuple[bytes, bytes]) -> bytes:
    whole = b"".join(
        struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body)) for name, body in chunks
    )
    return b"\x89PNG\r\n\x1a\n" + whole


def heif(*parts: bytes) -> bytes:
    return brand(b"heic") + full(b"meta", *parts)


def nested(name: bytes, depth: int) -> bytes:
    data = b""
    for _ in range(depth):
        data = box(name, data)
    return data


def nested_lists() -> bytes:
    data = b""
    for _ in range(3000):
        data = chunk(b"LIST", b"hdrl" + data)
    return b"RIFF" + struct.pack("<I", len(data)) + b"AVI " + data


def nested_telemetry() -> bytes:
    data = telemetry(b"GPSF", b"L", 4, bytes(4))
    for _ in range(500):
        data = telemetry(b"DEVC", b"\0", 1, data)
    return brand(b"mp41") + box(b"moov", box(b"udta", box(b"GPMF", data)))


def sub_directories() -> bytes:
    inner: Ifd = {0x0100: long(1)}
    return build([{0x014A: [inner] * 8, 0x8769: [inner], 0x8825: [inner]}])


def deep_xml() -> bytes:
    return b"<?xpacket?>" + b"<a>" * 40_000 + b"</a>" * 40_000


def wide_xml() -> bytes:
    inner = b"<e:DateTimeOriginal xmlns:e='http://ns.adobe.com/exif/1.0/'>2026-05-14</e:DateTimeOriginal>" * 5000
    return b"<x:xmpmeta xmlns:x='adobe:ns:meta/'>" + inner + b"</x:xmpmeta>"


def entities(encoding: str = "utf-8") -> bytes:
    levels = "".join(f'<!ENTITY a{n} "{f"&a{n - 1};" * 10}">' for n in range(1, 9))
    declared = f'<?xpacket?><!DOCTYPE x [<!ENTITY a0 "aaaaaaaaaa">{levels}]>'
    return f'{declared}<x:xmpmeta xmlns:x="adobe:ns:meta/">&a8;</x:xmpmeta>'.encode(encoding)


def packed_headers() -> bytes:
    header = box(b"moov", bytes(900_000))
    for _ in range(60):
        packed = box(b"cmvd", bytes(4), zlib.compress(header))
        header = box(b"moov", box(b"cmov", box(b"dcom", b"zlib"), packed), box(b"free", bytes(900_000)))
    return header


def many_items() -> bytes:
    infe = full(b"infe", struct.pack(">HH4s", 1, 0, b"Exif"), b"\0", version=2)
    return heif(full(b"iinf", struct.pack(">H", 65_535), infe * 20_000))


def many_places() -> bytes:
    head = struct.pack(">HH", 0x4440, 65_535)
    return heif(full(b"iloc", head, struct.pack(">HHIH", 1, 0, 0, 65_535) * 9000))


WIDE_RIFF = b"RF64\xff\xff\xff\xffWAVE" + chunk(b"ds64", struct.pack("<QQQ", U64, U64, U64))
SEGMENT = b"\x1aE\xdf\xa3\x81\0\x18\x53\x80\x67\x01" + b"\xff" * 7
"""A Matroska header and a segment of unknown size."""
PARTITION = b"\x06\x0e\x2b\x34\x02\x05\x01\x01\x0d\x01\x02\x01\x01\x02\x04\0"
"""The key of an MXF header partition."""

HOSTILE: dict[str, Callable[[], bytes]] = {
    "empty": lambda: b"",
    "one byte": lambda: b"\0",
    "ones": lambda: b"\xff" * 70_000,
    "directory loops": lambda: ifd(0, b"", 8),
    "directory counts": lambda: ifd(65_535, bytes(65_535 * 12)),
    "directory points at itself": lambda: ifd(1, entry(0x8769, 4, 1, 8)),
    "value lies far out": lambda: ifd(1, entry(0x0132, 2, U32, 0xFFFFFFF0)),
    "numbers without end": lambda: ifd(2, entry(0x0111, 4, U32, 0) + entry(0x0117, 4, U32, 0)),
    "big directory": lambda: b"II+\0\x08\0\0\0" + struct.pack("<QQ", 16, U64),
    "directories share one": sub_directories,
    "directories in a long chain": lambda: build([{0x0100: long(n)} for n in range(500)]),
    "jpeg of segments": lambda: b"\xff\xd8" + b"\xff\xe1\x00\x02" * 20_000,
    "jpeg of fill bytes": lambda: b"\xff\xd8" + b"\xff" * 100_000,
    "jpeg with a loop": lambda: jpeg_with(0xE1, b"Exif\0\0" + ifd(0, b"", 8)),
    "jpeg with resources": lambda: jpeg_with(0xED, b"Photoshop 3.0\0" + b"8BIM\x04\x04\0\0" + b"\xff" * 30),
    "jpeg with pictures": lambda: jpeg_with(0xE2, b"MPF\0" + build([{0xB002: Value(7, b"\xff" * 1024)}])),
    "png bomb": lambda: png((b"zTXt", b"Raw profile type exif\0\0" + zlib.compress(bytes(80_000_000), 9))),
    "png of chunks": lambda: png(*[(b"IDAT", b"")] * 30_000),
    "png profile": lambda: png((b"tEXt", b"Raw profile type exif\0\nexif\n 99\nzz")),
    "packed bomb": lambda: JXL + box(b"brob", b"xml ", brotli.compress(bytes(80_000_000), quality=2)),
    "box of 2^64": lambda: brand(b"isom") + struct.pack(">I4sQ", 1, b"moov", U64),
    "box of 2^32": lambda: brand(b"isom") + struct.pack(">I4s", U32, b"moov"),
    "box of nothing": lambda: brand(b"isom") + struct.pack(">I4s", 3, b"moov"),
    "boxes without end": lambda: brand(b"isom") + box(b"free") * 100_000,
    "boxes in depth": lambda: nested(b"moov", 5000),
    "maker boxes in depth": lambda: brand(b"isom") + box(b"moov", box(b"udta", nested(b"MAKE", 2000))),
    "packed header bomb": lambda: box(
        b"moov", box(b"cmov", box(b"dcom", b"zlib"), box(b"cmvd", bytes(4), zlib.compress(bytes(80_000_000), 9)))
    ),
    "packed header in itself": lambda: box(b"moov", nested(b"cmov", 3000)),
    "packed header in a packed header": packed_headers,
    "tracks": lambda: brand(b"isom") + box(b"moov", box(b"trak", box(b"mdia")) * 50_000),
    "items": many_items,
    "places": many_places,
    "telemetry in depth": nested_telemetry,
    "riff chunk": lambda: b"RIFF\xff\xff\xff\xffWAVE" + chunk(b"bext", bytes(100), U32),
    "riff 64": lambda: WIDE_RIFF + chunk(b"data", b"", U32),
    "riff of chunks": lambda: b"RIFF\xff\xff\xff\xffAVI " + chunk(b"JUNK", b"") * 100_000,
    "lists in depth": nested_lists,
    "webp": lambda: b"RIFF\xff\xff\xff\xffWEBP" + chunk(b"EXIF", ifd(0, b"", 8), U32),
    "aiff": lambda: b"FORM\xff\xff\xff\xffAIFF" + b"COMT\xff\xff\xff\xff\xff\xff" + bytes(4000),
    "flac": lambda: b"fLaC" + b"\x04\xff\xff\xff" + struct.pack("<II", U32, U32) + bytes(70_000),
    "flac comments": lambda: b"fLaC" + b"\x84\x01\0\0" + struct.pack("<II", 0, U32) + bytes(70_000),
    "ogg of pages": lambda: (b"OggS\0\2" + bytes(20) + b"\xff" + b"\xff" * 255 + bytes(255 * 255)) * 20,
    "id3": lambda: b"ID3\x04\0\xff\x7f\x7f\x7f\x7f" + (b"TDRC\x7f\x7f\x7f\x7f\0\0") * 5000,
    "caf": lambda: b"caff\0\1\0\0" + b"desc" + struct.pack(">q", -5) + b"data" + struct.pack(">q", 2**62),
    "matroska": lambda: SEGMENT + b"\x15\x49\xa9\x66\x01" + b"\xff" * 6 + b"\xfe",
    "matroska of elements": lambda: SEGMENT + b"\xec\x80" * 100_000,
    "mxf": lambda: PARTITION + b"\x88" + b"\xff" * 8,
    "mxf of sets": lambda: PARTITION + b"\x80" + (b"\x06\x0e\x2b\x34\x02\x53\x01\x01" + bytes(9)) * 50_000,
    "asf": lambda: bytes.fromhex("3026b2758e66cf11a6d900aa0062ce6c") + struct.pack("<QI", U64, U32) + bytes(100),
    "transport": lambda: (b"\x47\x40\0\x30\xff" + b"\xff" * 183) * 3000,
    "dv": lambda: (b"\x1f\x07\0" + b"\xff" * 77 + (b"\x3f\x07\0" + b"\xff" * 77) * 149) * 20,
    "raf": lambda: b"FUJIFILMCCD-RAW " + b"\xff" * 200,
    "mrw": lambda: b"\0MRM\xff\xff\xff\xff\0TTW\xff\xff\xff\xff" + bytes(100),
    "x3f": lambda: b"FOVb" + bytes(60) + b"SECd\0\0\0\0\xff\xff\xff\xff" + b"\xff" * 100 + struct.pack("<I", 64),
    "entities": entities,
    "entities in utf-16": lambda: entities("utf-16"),
    "xml in depth": deep_xml,
    "xml in width": wide_xml,
    "xml not utf-8": lambda: b"<?xpacket?><x:xmpmeta xmlns:x='adobe:ns:meta/' a='\xff\xfe\xc3\x28'/>",
    "clip data": lambda: b"<?xml version='1.0'?><NonRealTimeMeta>" + b"<Device/>" * 60_000 + b"</NonRealTimeMeta>",
    "subtitles": lambda: b"1\n00:00:00,000 --> 00:00:01,000\n" + b"latitude: -9" + b"9" * 300_000,
}  # fmt: skip


def computing(work: Callable[[], object]) -> float:
    began = time.process_time()
    work()
    return time.process_time() - began


@pytest.mark.parametrize("name", HOSTILE)
def test_hostile_bytes_cost_little_and_raise_nothing(name: str, tmp_path: Path) -> None:
    """No reader takes more than a tenth of a second or 64 MB on any of them, and none stumbles."""
    path = str(put(tmp_path / "a.jpg", HOSTILE[name]()))
    reading = read(path)
    took = min(computing(lambda: read(path)) for _ in range(3))
    slowness = max(1.0, computing(lambda: sum(number & 7 for number in range(300_000))) / USUAL)
    tracemalloc.start()
    try:
        read(path)
        peak = tracemalloc.get_traced_memory()[1]
    finally:
        tracemalloc.stop()
    assert took < CLOCK * slowness
    assert peak < MEMORY
    assert STUMBLED not in reading.notes
    assert reading.claims[-1].at == "file"
    assert len(reading.claims) < 70
