"""What is written, and merged, is read the same by another implementation of XMP."""

from __future__ import annotations

import random
from collections import Counter
from pathlib import Path

import pytest

from jutrek.wording.caption import Caption, with_caption
from jutrek.wording.keywords import Change
from jutrek.wording.properties import BRANCHES, SUBJECT, Field, Form
from tests.another_reader import read_by_another
from tests.making import put
from tests.wording.test_packet import described, packet

_SIGNS = "abcÄß—“&<>'\" 漢"
_OTHERS = ("dc:format", "xmp:CreatorTool", "xmpMM:DocumentID", "photoshop:Instructions", "exif:UserComment", "n:own")


def _random(chance: random.Random) -> str:
    return f"x{''.join(chance.choices(_SIGNS, k=chance.randint(1, 12)))}x"


def _value(field: Field, said: dict[tuple[str, ...], str]) -> str | None:
    """A field as the other one reads it."""
    one = field.value
    way = (one.within, one.tag) if one.within else (one.tag,)
    return said.get((*way, {Form.LANGUAGES: "x-default", Form.TEXT: ""}.get(one.form, "0")) if one.form.value else way)


def _items(tag: str, said: dict[tuple[str, ...], str]) -> list[str]:
    return [value for way, value in said.items() if way[0] == tag]


@pytest.mark.parametrize("seed", range(6))
def test_every_field_and_keyword_is_read_the_same(seed: int, tmp_path: Path) -> None:
    chance = random.Random(seed)
    fields = {field: _random(chance) for field in Field}
    words = tuple((_random(chance), f"{_random(chance)}{number}") for number in range(4))
    path = put(tmp_path / "a.xmp", with_caption(b"", Caption(Change(add=words), fields)))
    said = read_by_another(path)
    assert {field: _value(field, said) for field in Field} == fields
    assert Counter(_items(SUBJECT.tag, said)) == Counter(word for branch in words for word in branch)
    assert _items(BRANCHES.tag, said) == [word for branch in words for word in branch]
    for field in Field:
        put(path, with_caption(path.read_bytes(), Caption(fields={field: ""})))
    assert {field: _value(field, read_by_another(path)) for field in Field} == dict.fromkeys(Field)


def _made_up(chance: random.Random) -> bytes:
    """A packet as programs may write it: in one description or several, some values as attributes."""
    parts, attributes = [], []
    for name in chance.sample(_OTHERS, chance.randint(1, len(_OTHERS))):
        text = _random(chance).translate({ord("&"): "&amp;", ord("<"): "&lt;", ord('"'): "&quot;"})
        if (kind := chance.randrange(5)) == 0:
            attributes.append(f'{name}="{text}"')
            continue
        parts.append({
            1: f"<{name}>{text}</{name}>",
            2: f"<{name}><rdf:Bag><rdf:li>{text}</rdf:li><rdf:li>2</rdf:li></rdf:Bag></{name}>",
            3: f"<{name} rdf:parseType='Resource'><n:in>{text}</n:in><n:also>3</n:also></{name}>",
            4: f"<{name}><rdf:Seq><rdf:li rdf:parseType='Resource'><n:in>{text}</n:in></rdf:li></rdf:Seq></{name}>",
        }[kind])  # fmt: skip
    parts += chance.sample([
        ("<dc:title><rdf:Alt><rdf:li xml:lang='x-default'>t</rdf:li><rdf:li xml:lang='fr'>f</rdf:li>"
        "<rdf:li xml:lang='de'>d</rdf:li></rdf:Alt></dc:title>"),
        "<dc:subject><rdf:Bag><rdf:li>lake</rdf:li></rdf:Bag></dc:subject>",
        "<Iptc4xmpCore:CreatorContactInfo Iptc4xmpCore:CiTelWork='1' n:x='2'/>",
    ], chance.randrange(4))  # fmt: skip
    half = chance.randrange(len(parts) + 1)
    return packet(described("".join(parts[:half]), " ".join(attributes)), described("".join(parts[half:])))


@pytest.mark.parametrize("seed", range(5))
def test_what_others_wrote_is_read_as_before_when_it_was_merged(seed: int, tmp_path: Path) -> None:
    chance = random.Random(seed)
    for number in range(12):
        path = put(tmp_path / f"{number}.xmp", _made_up(chance))
        before = read_by_another(path)
        assert before, path.read_bytes()
        fields = {field: _random(chance) for field in chance.sample(list(Field), 4)}
        put(path, with_caption(path.read_bytes(), Caption(Change(add=(("depot",),)), fields)))
        after = read_by_another(path)
        said = {way for field in fields for way in before if way[0] == field.value.tag and way[-1] == "x-default"}
        said |= {way for field in fields for way in before if way[-1] == field.value.tag}
        kept = {way: value for way, value in before.items() if way not in said}
        assert kept.items() <= after.items(), (before, after)
        assert {field: _value(field, after) for field in fields} == fields
        words = _items(SUBJECT.tag, after)
        assert words == [*_items(SUBJECT.tag, before), "depot"]
