"""Packets are merged: what is said is said once, in the form that its property has, and all else stays."""

from __future__ import annotations

import io
import random

import pytest
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree
from PIL import Image

from jutrek.formats.draft import Draft
from jutrek.formats.xmp import read
from jutrek.wording.caption import Caption, with_caption
from jutrek.wording.keywords import Change
from jutrek.wording.own import Own
from jutrek.wording.packet import Packet
from jutrek.wording.properties import OWN, PREFIXES, SUBJECT, Field

_RDF = "http://www.w3.org/1999/02/22-rdf-syntax-ns#"
_HEAD = f'<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="{_RDF}" xmlns:n="urn:nobody" '
_SPACES = " ".join(f'xmlns:{prefix}="{space}"' for prefix, space in PREFIXES.items())


def packet(*descriptions: str) -> bytes:
    return f"{_HEAD}{_SPACES}>{''.join(descriptions)}</rdf:RDF></x:xmpmeta>".encode()


def described(inner: str, attributes: str = "") -> str:
    return f'<rdf:Description rdf:about="" {attributes}>{inner}</rdf:Description>'


def said(data: bytes) -> Draft:
    draft = Draft()
    read(data, draft)
    return draft


OLD = packet(
    described('<dc:title><rdf:Alt><rdf:li xml:lang="de">Alt</rdf:li></rdf:Alt></dc:title>', 'photoshop:Credit="old"'),
    described(
        '<dc:subject>one word</dc:subject><photoshop:Credit>older</photoshop:Credit>'
        '<Iptc4xmpCore:CreatorContactInfo><rdf:Description Iptc4xmpCore:CiTelWork="1" n:x="2"/>'
        "</Iptc4xmpCore:CreatorContactInfo><!-- kept --><n:deep rdf:parseType='Resource'><n:in>3</n:in></n:deep>"
    ),
)  # fmt: skip


@pytest.mark.parametrize("field", list(Field))
@pytest.mark.parametrize("old", [b"", OLD, OLD.decode().encode("utf-16")], ids=["new", "old", "utf-16"])
def test_each_field_is_said_once_and_can_be_taken_off(field: Field, old: bytes) -> None:
    told = Packet(with_caption(old, Caption(fields={field: "ä <1> & “2”"})))
    assert told.text(field.value) == "ä <1> & “2”"
    assert len(told.values(field.value)) == 1
    assert with_caption(bytes(told), Caption(fields={field: "ä <1> & “2”"})) == bytes(told)
    again = Packet(with_caption(bytes(told), Caption(fields={field: "other"})))
    assert (again.text(field.value), len(again.values(field.value))) == ("other", 1)
    assert not Packet(with_caption(bytes(told), Caption(fields={field: ""}))).has(field.value)


def test_what_nobody_asked_to_change_stays() -> None:
    wanted = Caption(
        Change(add=(("Velmora line", "No. 7"),)), {Field.CREDIT: "new", Field.TITLE: "Usual", Field.PHONE: "7"}
    )
    new = with_caption(OLD, wanted)
    root = etree.fromstring(new)
    of = {prefix: f"{{{space}}}" for prefix, space in PREFIXES.items()}
    alt = root.find(f".//{of['dc']}title/{{{_RDF}}}Alt")
    lang = "{http://www.w3.org/XML/1998/namespace}lang"
    assert [(one.get(lang), one.text) for one in alt] == [("x-default", "Usual"), ("de", "Alt")]
    contact = root.find(f".//{of['Iptc4xmpCore']}CreatorContactInfo/{{{_RDF}}}Description")
    assert contact.get("{urn:nobody}x") == "2"
    assert contact.findtext(f"{of['Iptc4xmpCore']}CiTelWork") == "7"
    assert root.findtext(".//{urn:nobody}in") == "3"
    assert b"<!-- kept -->" in new
    assert said(new).keywords == ["one word", "Velmora line", "No. 7"]
    branch = root.find(f".//{{{OWN}}}Keywords/{{{_RDF}}}Bag/{{{_RDF}}}li/{{{_RDF}}}Seq")
    assert [one.text for one in branch] == ["Velmora line", "No. 7"]


def test_pillow_reads_what_was_written() -> None:
    data = with_caption(b"", Caption(Change(add=(("lake",), ("rail",))), {Field.TITLE: "Boiler", Field.CREATOR: "Ida"}))
    at = io.BytesIO()
    Image.new("RGB", (8, 8)).save(at, "JPEG", xmp=data)
    found = Image.open(at).getxmp()["xmpmeta"]["RDF"]["Description"]
    assert found["subject"]["Bag"]["li"] == ["lake", "rail"]
    assert found["title"]["Alt"]["li"] == {"lang": "x-default", "text": "Boiler"}
    assert found["creator"]["Seq"]["li"] == "Ida"


def test_a_new_sidecar_says_what_the_file_says_and_what_is_taken_off_there() -> None:
    own = Own(("Lake", "rail"), {Field.TITLE: "Inside", Field.RIGHTS: "© Ida"})
    new = with_caption(b"", Caption(Change(add=(("snow",),), remove=("lake",)), {Field.TITLE: ""}), own)
    draft = said(new)
    assert (draft.keywords, draft.without) == (["rail", "snow"], ["Lake"])
    assert (draft.title, draft.rights) == ("", "© Ida")
    assert Packet(new).has(Field.TITLE.value)
    back = said(with_caption(new, Caption(Change(add=(("lake",),))), own))
    assert (back.keywords, back.without) == (["rail", "snow", "lake"], [])
    assert with_caption(b"", Caption(Change(add=(("RAIL",),))), own) == b""


def test_what_is_no_packet_is_refused() -> None:
    for bad in (b"no xml", b"<!DOCTYPE a><a/>", packet(), b"<a/>"):
        with pytest.raises(ValueError, match=r"sidecar"):
            with_caption(bad, Caption(fields={Field.TITLE: "x"}))


_TEXT = st.text(st.characters(codec="utf-8", categories=("L", "N", "P", "S")), min_size=1, max_size=6)


@given(st.integers(0, 2**32), st.lists(_TEXT, min_size=1, max_size=4))
def test_random_packets_keep_all_that_is_not_known(seed: int, words: list[str]) -> None:
    """Elements, attributes, structures, comments and languages of nobody's namespaces, wherever they stand."""
    chance = random.Random(seed)
    old = made_up(chance)
    wanted = Caption(Change(add=tuple((word,) for word in words)), {Field.TITLE: words[0]})
    new = with_caption(old, wanted)
    assert strange(new) == strange(old)
    assert {one.casefold() for one in Packet(old).items(SUBJECT)} <= {one.casefold() for one in said(new).keywords}
    assert with_caption(new, wanted) == new


_TITLES = (
    '<dc:title><rdf:Alt><rdf:li xml:lang="x-default">T</rdf:li><rdf:li xml:lang="fr">F</rdf:li></rdf:Alt></dc:title>'
)


def made_up(chance: random.Random, depth: int = 0) -> bytes:
    """A packet as no program writes it."""

    def strange_element(depth: int) -> str:
        name, text = f"n:e{chance.randrange(4)}", "".join(chance.choices("aä<&\n ", k=3))
        inner = "".join(strange_element(depth + 1) for _ in range(chance.randrange(3))) if depth < 3 else ""
        shown = text.replace("&", "&amp;").replace("<", "&lt;")
        kind = chance.choice(("", ' rdf:parseType="Resource"', ' n:a="&quot;x&quot;"', ' xml:lang="fr"'))
        return f"<{name}{kind}>{inner or shown}</{name}>{chance.choice(('', '<!-- c -->', chr(10)))}"

    known = [
        "<dc:subject><rdf:Bag><rdf:li>lake</rdf:li> <rdf:li n:q='1'>Rail</rdf:li></rdf:Bag></dc:subject>",
        "<dc:subject><rdf:Seq><rdf:li>snow</rdf:li></rdf:Seq></dc:subject>",
        _TITLES,
        "<photoshop:Credit>c</photoshop:Credit>",
    ]
    parts = [strange_element(depth) for _ in range(chance.randrange(4))] + chance.sample(known, chance.randrange(3))
    chance.shuffle(parts)
    return packet(*(described("".join(parts[at::2]), f'n:z="{at}"') for at in range(chance.choice((1, 2)))))


def strange(data: bytes) -> list[bytes]:
    """What is of nobody's namespace, as it stands (canonical XML)."""
    root = etree.fromstring(data)
    tops = [one for one in root.iter("{*}Description") for one in one if str(one.tag).startswith("{urn:nobody}")]
    texts = [etree.tostring(one, method="c14n", with_tail=False, exclusive=True) for one in tops]
    others = [
        f"{name}={value}".encode()
        for one in root.iter(etree.Element)
        for name, value in one.items()
        if "nobody" in name
    ]
    lang = "{http://www.w3.org/XML/1998/namespace}lang"
    french = [one.text.encode() for one in root.iter("{*}li") if one.get(lang) == "fr"]
    return [*texts, *others, *french, str(len(root.xpath("//comment()"))).encode()]
