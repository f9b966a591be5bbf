"""Clips byte by byte: what camcorders, drones and action cameras write that encoders do not."""

from __future__ import annotations

import struct
import zlib
from datetime import datetime

from jutrek.demo.shelf.boxes import MEDIA_AT, box, clip, full, movie_header, since_1904, track, user_text
from jutrek.demo.stills import Shot, main_directory
from jutrek.demo.tags import build

_MDPM = bytes.fromhex("17ee8c60f84d11d98cd60800200c9a66") + b"MDPM"


def clip_data(local: datetime, offset: str, make: str, model: str, serial: str) -> bytes:
    """The XML that video cameras write."""
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        '<NonRealTimeMeta xmlns="urn:schemas-professionalDisc:nonRealTimeMeta:ver.2.00">'
        '<TargetMaterial umidRef="060A2B340101010501010D4313000000"/><Duration value="100"/>'
        f'<CreationDate value="{local:%Y-%m-%dT%H:%M:%S}{offset}"/>'
        f'<Device manufacturer="{make}" modelName="{model}" serialNo="{serial}"/></NonRealTimeMeta>'
    ).encode()


def with_clip_data(utc: datetime, xml: bytes) -> bytes:
    """An MP4 whose clip data stand in a `meta` box at the top."""
    meta = full(b"meta", box(b"hdlr", bytes(8), b"nrtm", bytes(13)), full(b"xml ", xml))
    return clip(movie_header(since_1904(utc)), name=b"mp42") + meta


def with_maker_box(utc: datetime, picture: bytes) -> bytes:
    """An MP4 whose user data hold a maker's box with a JPEG that has Exif."""
    maker = box(b"CNTH", box(b"CNDA", picture))
    return clip(movie_header(since_1904(utc)), box(b"udta", maker), name=b"mp42")


def compressed(utc: datetime, *texts: tuple[bytes, str]) -> bytes:
    """A MOV whose movie header is compressed."""
    header = box(b"moov", movie_header(since_1904(utc)), box(b"udta", *(user_text(*text) for text in texts)))
    packed = box(b"cmvd", struct.pack(">I", len(header)), zlib.compress(header))
    return clip(box(b"cmov", box(b"dcom", b"zlib"), packed), name=b"qt  ")


def fragmented(utc: datetime) -> bytes:
    """An MP4 in fragments: its length stands in `mehd`, its fragment has a reference time."""
    extends = box(b"mvex", full(b"mehd", struct.pack(">I", 9000)))
    ntp = int((utc - datetime(1900, 1, 1)).total_seconds()) << 32
    return (
        box(b"ftyp", b"iso6", bytes(4))
        + box(b"moov", movie_header(0, length=0), extends)
        + full(b"prft", struct.pack(">IQI", 1, ntp, 0))
        + box(b"moof", full(b"mfhd", struct.pack(">I", 1)))
        + box(b"mdat", bytes(64))
    )


def telemetry(name: bytes, kind: bytes, size: int, data: bytes) -> bytes:
    """A telemetry record; kind NUL holds records."""
    count = len(data) // size
    return name + struct.pack(">cBH", kind, size, count) + data + bytes(-len(data) % 4)


def action_camera(local: datetime, utc: datetime, model: str, serial: str) -> bytes:
    """An MP4 whose header says the device, and whose telemetry track says satellite time. Its clock writes local."""
    header = b"".join(
        telemetry(name, b"c", 1, words.encode()) for name, words in ((b"MINF", model), (b"CASN", serial))
    ) + telemetry(b"MUID", b"L", 4, bytes(range(32)))
    stream = telemetry(b"GPSF", b"L", 4, struct.pack(">I", 3)) + telemetry(
        b"GPSU", b"U", 16, f"{utc:%y%m%d%H%M%S}.000".encode()
    )
    sample = telemetry(b"DEVC", b"\0", 1, telemetry(b"STRM", b"\0", 1, stream))
    seconds = since_1904(local)
    picture = track(b"vide", box(b"avc1", bytes(78)), seconds=seconds, picture=(3840, 2160))
    data = track(b"meta", box(b"gpmd", bytes(8)), at=MEDIA_AT, size=len(sample))
    return clip(movie_header(seconds), picture, data, box(b"udta", box(b"GPMF", header)), name=b"mp41", media=sample)


def timecoded(utc: datetime) -> bytes:
    """A MOV with a timecode track that starts at 10:26:13:05, 25 frames a second."""
    sample = struct.pack(">I", ((10 * 60 + 26) * 60 + 13) * 25 + 5)
    entry = box(b"tmcd", bytes(8), struct.pack(">IIIIB", 0, 0, 25_000, 1000, 25), bytes(1))
    code = track(b"tmcd", entry, at=MEDIA_AT, size=4)
    return clip(movie_header(since_1904(utc)), code, name=b"qt  ", media=sample)


def avi(spelled: str, *, exif: Shot | None = None, maker_date: str = "", tape: bytes = b"") -> bytes:
    """An AVI as cameras write it: `IDIT`, and Exif in the stream's data; of DV where a tape's frame is given."""
    head = _chunk(b"avih", struct.pack("<14I", 40_000, 0, 0, 0, 100, 0, 1, 0, 640, 480, 0, 0, 0, 0))
    strh = struct.pack("<4s4sIIIIIIII", b"vids", b"dvsd" if tape else b"MJPG", 0, 0, 0, 1, 25, 0, 100, 0)
    more = _chunk(b"strd", b"AVIF" + bytes(4) + build([main_directory(exif)])) if exif else b""
    stream = _list(b"strl", _chunk(b"strh", strh) + _chunk(b"strf", bytes(40)) + more)
    idit = _chunk(b"IDIT", spelled.encode() + b"\n\0")
    information = _list(b"INFO", _chunk(b"ICRD", maker_date.encode() + b"\0")) if maker_date else b""
    first = _list(b"hdrl", head + stream + idit) + information + _list(b"movi", _chunk(b"00dc", tape or bytes(64)))
    second = b"AVIX" + _list(b"movi", _chunk(b"00dc", bytes(64)))
    return _chunk(b"RIFF", b"AVI " + first) + _chunk(b"RIFF", second)


def _chunk(name: bytes, body: bytes) -> bytes:
    return name + struct.pack("<I", len(body)) + body + bytes(len(body) % 2)


def _list(name: bytes, body: bytes) -> bytes:
    return _chunk(b"LIST", name + body)


def _decimal(number: int) -> int:
    return number // 10 << 4 | number % 10


def avchd(local: datetime, zone: int, *, stride: int = 192) -> bytes:
    """A transport stream whose first picture tells the camcorder's date; `zone` is the zone's byte."""
    entries = (
        (0x18, bytes((zone, *(_decimal(part) for part in (local.year // 100, local.year % 100, local.month))))),
        (0x19, bytes(_decimal(part) for part in (local.day, local.hour, local.minute, local.second))),
        (0x70, struct.pack(">HH", 0x7777, 0)),
    )
    block = _MDPM + bytes((len(entries),)) + b"".join(bytes((tag,)) + data for tag, data in entries)
    block = block.replace(b"\0\0", b"\0\0\x03")
    message = b"\0\0\1\x06\x05" + bytes((len(block),)) + block + b"\x80"
    picture = b"\0\0\1\x09\xf0" + message + b"\0\0\1\x65" + bytes(range(1, 200))
    packets = [
        _packet(0, b"\0" + _section(0, struct.pack(">HH", 1, 0xE100))),
        _packet(
            0x100,
            b"\0" + _section(2, struct.pack(">HH", 0xF011, 0xF000) + b"\x1b" + struct.pack(">HH", 0xF011, 0xF000)),
        ),
        *_unit(0x1011, picture, 0),
        *_unit(0x1011, picture, 9 * 90_000),
    ]
    return b"".join(bytes(stride - 188) + packet for packet in packets)


def _section(kind: int, body: bytes) -> bytes:
    return struct.pack(">BHHBBB", kind, 0xB000 | len(body) + 9, 1, 0xC1, 0, 0) + body + bytes(4)


def _packet(number: int, payload: bytes, *, starts: bool = True) -> bytes:
    head = struct.pack(">BHB", 0x47, number | (0x4000 if starts else 0), 0x10)
    room = 184 - len(payload)
    if not room:
        return head + payload
    stuffing = bytes((room - 1,)) + (b"\0" + b"\xff" * (room - 2) if room > 1 else b"")
    return head[:3] + b"\x30" + stuffing + payload


def _unit(number: int, picture: bytes, time: int) -> list[bytes]:
    """A unit of the stream, cut into packets, with its presentation time in ticks of 90 kHz."""
    stamp = bytes((
        0x21 | time >> 29 & 0x0E, time >> 22 & 0xFF, time >> 14 & 0xFE | 1, time >> 7 & 0xFF, time << 1 & 0xFE | 1,
    ))  # fmt: skip
    data = b"\0\0\1\xe0\0\0\x80\x80\x05" + stamp + picture
    return [_packet(number, data[at : at + 184], starts=at == 0) for at in range(0, len(data), 184)]


def moi(local: datetime, milliseconds: int) -> bytes:
    """The file beside an MPEG clip."""
    size = 256
    head = struct.pack(
        ">2sIHBBBBHI", b"V6", size, local.year, local.month, local.day, local.hour, local.minute,
        local.second * 1000 + local.microsecond // 1000, milliseconds,
    )  # fmt: skip
    return head.ljust(size, b"\0")


def subtitles(local: datetime, place: tuple[float, float]) -> bytes:
    """A drone's subtitles: two frames."""
    return "".join(
        f"{number}\n00:00:0{number - 1},000 --> 00:00:0{number},000\n"
        f"{local:%Y-%m-%d %H:%M:%S}.{local.microsecond // 1000:03}\n"
        f"[iso: 100] [latitude: {place[0]:.6f}] [longitude: {place[1]:.6f}]\n\n"
        for number in (1, 2)
    ).encode()


def dv(local: datetime) -> bytes:
    """A raw DV frame of 625 lines: headers, and packs in subcode and VAUX blocks of each sequence."""
    date = bytes((0x62, 0xFF, _decimal(local.day) | 0xC0, _decimal(local.month) | 0xE0, _decimal(local.year % 100)))
    time = bytes((0x63, 0xFF, *(_decimal(part) | 0x80 for part in (local.second, local.minute)), _decimal(local.hour)))
    frame = b""
    for sequence in range(12):
        blocks = bytes((0x1F, 7 | sequence << 4, 0, 0xBF, *([0xFF] * 76)))
        for number in range(2):
            ids = b"".join(bytes((0, 0, 0xFF)) + pack for pack in (date, time, *[b"\xff" * 5] * 4))
            blocks += bytes((0x3F, 7 | sequence << 4, number)) + ids.ljust(77, b"\xff")
        for number in range(3):
            blocks += bytes((0x5F, 7 | sequence << 4, number)) + (date + time).ljust(77, b"\xff")
        frame += blocks.ljust(80 * 150, b"\x90")
    return frame
