"""What the tests of single formats share."""

from __future__ import annotations

import struct
from collections.abc import Callable

from jutrek.demo.shelf.boxes import since_1904
from jutrek.demo.stills import Shot, main_directory
from jutrek.demo.tags import build
from jutrek.formats import Reading
from tests import making
from tests.making import WHEN

DAY = "2026-05-14T10:26:13"
SHOT = ("exif:original", f"{DAY}.42", "+02:00")
SECONDS = since_1904(WHEN)
EXIF = build([main_directory(Shot(WHEN, "Arlen", "M2", "A2-1"))])
Of = Callable[..., Reading]


def jpeg_with(marker: int, body: bytes) -> bytes:
    plain = making.jpeg(None)
    return plain[:2] + b"\xff" + bytes((marker,)) + struct.pack(">H", len(body) + 2) + body + plain[2:]


XMP = "<x:xmpmeta xmlns:x='adobe:ns:meta/'><r:RDF xmlns:r='http://www.w3.org/1999/02/22-rdf-syntax-ns#'>{}</r:RDF></x:xmpmeta>"
