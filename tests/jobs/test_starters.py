"""Blanks inside starter files: ours are filled as the format writes signs; everything else keeps its bytes."""

from __future__ import annotations

import io
import json
import random
import zipfile
from datetime import date

import pytest
from lxml import etree

from jutrek.jobs.filling import Filled
from jutrek.jobs.starters import filled_in

ODD = 'a "b" <c> & \\ \u00fc'
FILLED = Filled({"job": "0118", "title": ODD, "reel": "", "dashes": "a--b"}, date(2026, 11, 28))


def test_text_json_and_xml() -> None:
    assert filled_in(b"{jutrek job} {jutrek title} {jutrek reel}.", FILLED) == f"0118 {ODD} .".encode()
    assert filled_in(b"{jutrek date:%d.%m.%Y} {jutrek title:slug}", FILLED) == b"28.11.2026 a-b-c-u"
    made = json.loads(filled_in(b'\xef\xbb\xbf {"x": ["{jutrek title}"]}'[3:], FILLED))
    assert made == {"x": [ODD]}
    assert filled_in(b"<a><![CDATA[{jutrek job}]]></a>", FILLED) == b"<a><![CDATA[0118]]></a>"
    page = etree.fromstring(filled_in(b'<?xml version="1.0"?><a b="{jutrek title}">{jutrek title}</a>', FILLED))
    assert (page.get("b"), page.text) == (ODD, ODD)


@pytest.mark.parametrize(
    "data",
    [
        b"{title} {{title}} {jutrek nothing} {jutrek title:nothing} {jutrek shoot} {jutrek Title}",
        b"\xff{jutrek job}", b"\0{jutrek job}", b"{jutrek job", b"", b"\x89PNG{jutrek job}\xff",
        b"<a><!-- {jutrek dashes} --></a>", b"<a><![CDATA[{jutrek title}]]></a>",
        b'{"{jutrek job}": 1, "{jutrek title}": 2}'.replace(b"{jutrek title}", b"x").replace(b"{jutrek job}", b"y"),
    ],
)  # fmt: skip
def test_what_is_not_ours_keeps_its_bytes(data: bytes) -> None:
    assert filled_in(data, FILLED) == data


def archive(**more: object) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as file:
        file.comment = b"as it was"
        file.writestr(zipfile.ZipInfo("mimetype", (2026, 1, 2, 3, 4, 6)), b"application/x-doc")
        file.writestr("content.xml", b"<a>{jutrek title}</a>", zipfile.ZIP_DEFLATED)
        file.writestr("picture.bin", b"{jutrek job}")
        for name, data in more.items():
            file.writestr(name.replace("__", "/"), data)
    return out.getvalue()


def test_documents_that_are_archives() -> None:
    with zipfile.ZipFile(io.BytesIO(filled_in(archive(), FILLED))) as made:
        assert [one.filename for one in made.infolist()] == ["mimetype", "content.xml", "picture.bin"]
        assert etree.fromstring(made.read("content.xml")).text == ODD
        assert (made.read("picture.bin"), made.comment) == (b"{jutrek job}", b"as it was")
        assert made.infolist()[0].compress_type == zipfile.ZIP_STORED
    whole = archive()
    second = whole.index(b"PK\x03\x04", 4)
    for kept in (archive(META_INF__signatures=b"x"), whole[:-30], whole + b"behind", b"PK\x03\x04before" + whole,
                 whole[:second] + b"between" * 9 + whole[second:], b"PK\x03\x04{jutrek job}",
                 archive(**{"big.xml": b"<a>" + b" " * 9_000_000 + b"</a>"})):  # fmt: skip
        assert filled_in(kept, FILLED) == kept


def test_damaged_archives_end_nothing() -> None:
    chance, whole = random.Random(5), archive()
    for _ in range(600):
        data = bytearray(whole)
        for _ in range(chance.randrange(1, 4)):
            data[chance.randrange(len(data))] = chance.randrange(256)
        made = filled_in(bytes(data), FILLED)
        assert made == data or zipfile.ZipFile(io.BytesIO(made)).testzip() is None
