"""Sounds byte by byte: what recorders write that encoders do not."""

from __future__ import annotations

import struct
from datetime import datetime

from jutrek.demo.shelf.boxes import since_1904


def id3(version: int, *frames: tuple[str, str]) -> bytes:
    """An ID3v2 tag with text frames."""
    body = b""
    for name, words in frames:
        data = b"\x03" + words.encode() if version == 4 else b"\x00" + words.encode("latin-1")
        size = struct.pack(">I", len(data))
        body += name.encode() + (size[1:] if version == 2 else size + b"\0\0") + data
    size = bytes(len(body) >> shift & 0x7F for shift in (21, 14, 7, 0))
    return b"ID3" + bytes((version, 0, 0)) + size + body


def tagged_aiff(local: datetime) -> bytes:
    """An AIFC with a comment and an ID3 tag of version 2.3, and the format's own version date."""
    rate = struct.pack(">HQ", 0x400E, 48_000 << 48)
    chunks = b"".join(
        name + struct.pack(">I", len(body)) + body + bytes(len(body) % 2)
        for name, body in (
            (b"FVER", struct.pack(">I", 0xA2805140)),
            (b"COMM", struct.pack(">hIh", 1, 24_000, 16) + rate + b"NONE\0\0"),
            (b"COMT", struct.pack(">HIHH", 1, since_1904(local), 0, 4) + b"Yard"),
            (b"ID3 ", id3(3, ("TYER", f"{local:%Y}"), ("TDAT", f"{local:%d%m}"), ("TIME", f"{local:%H%M}"))),
            (b"SSND", bytes(8 + 48_000)),
        )
    )
    return b"FORM" + struct.pack(">I", 4 + len(chunks)) + b"AIFC" + chunks


def broadcast(local: datetime, samples: int = 0) -> bytes:
    """A `bext` body."""
    return struct.pack(
        "<256s32s32s10s8sQH64s190s", b"Yard, take 3", b"Lyd", f"XVLYDR6-000000417{local:%H%M%S}123456789".encode(),
        local.strftime("%Y-%m-%d").encode(), local.strftime("%H:%M:%S").encode(), samples, 1, bytes(range(1, 33)), b"",
    )  # fmt: skip


def with_bext(flac: bytes, local: datetime) -> bytes:
    """A FLAC that keeps its WAV's `bext` in an application block."""
    body = broadcast(local)
    block = b"riff" + b"bext" + struct.pack("<I", len(body)) + body
    first = 4 + 4 + int.from_bytes(flac[5:8])
    return flac[:4] + bytes((flac[4] & 0x7F,)) + flac[5:first] + b"\x02" + len(block).to_bytes(3) + block + flac[first:]


def wav_64(local: datetime) -> bytes:
    """An RF64: sizes in `ds64`, then `bext`, `fmt ` and data of stated size 2³²−1."""
    data = bytes(9600)
    sizes = struct.pack("<QQQI", 2000 + len(data), len(data), len(data) // 2, 0)
    form = struct.pack("<HHIIHH", 1, 1, 48_000, 96_000, 2, 16)
    out = b"RF64" + struct.pack("<I", 0xFFFFFFFF) + b"WAVE"
    for name, body in ((b"ds64", sizes), (b"bext", broadcast(local)), (b"fmt ", form)):
        out += name + struct.pack("<I", len(body)) + body + bytes(len(body) % 2)
    return out + b"data" + struct.pack("<I", 0xFFFFFFFF) + data
