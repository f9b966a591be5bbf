"""The language of outlines: what is read, what is pointed at, and what it makes."""

from __future__ import annotations

from datetime import date

import pytest

from jutrek.captures import Device
from jutrek.errors import CantStart
from jutrek.filing.pattern import LAYOUT, parse
from jutrek.jobs.blanks import Blank
from jutrek.jobs.filling import Filled
from jutrek.jobs.making import Whole, Wish, checked_values, whole_of
from jutrek.jobs.outline import DEEPEST, MOST_LINES, OutlineError, escaped, read_outline, without_blanks
from tests.jobs.outlines import FILM

TOP = "jobs/{job} {title}\n"
VALUES = {"job": "0118", "client": "VLT", "title": "Boiler test", "operator": "RK"}


def made(text: str, *, devices: int = 2, **more: object) -> Whole:
    values = {**VALUES, **{name: str(value) for name, value in more.items() if isinstance(value, str)}}
    known = [Device("a", "Arlen M2", "A", 0), Device("b", "Hovar 4K", "B", 1), Device("c", "Skarv", "C", 2)]
    sets = {name: value for name, value in more.items() if isinstance(value, frozenset)}
    return whole_of(read_outline(text), Wish(Filled(values, date(2026, 11, 28)), devices=known[:devices], **sets))


def paths(whole: Whole) -> list[str]:
    return [one.path + ("" if one.starter is not None else "/") for one in whole.made]


def test_what_an_outline_makes() -> None:
    whole = made(FILM)
    assert whole.folder == "jobs/2026/0118 VLT Boiler test"
    assert paths(whole) == [
        "/", "1 raw/", "2 work/", "2 work/0118_boiler-test_v01.otio", "2 work/music/", "0118 notes.md",
    ]  # fmt: skip
    assert (whole.landing, whole.by, whole.folders, whole.files) == ("1 raw", "{device}", 4, 2)
    assert [one.name for one in whole.made] == [
        "jobs/{year}/{job} {client} {title}", "raw", "work", "{job}_{title:slug}_v01.otio", "music", "{job} notes.md",
    ]  # fmt: skip
    wished = made(FILM, with_=frozenset({"drone"}), without=frozenset({"music"}))
    assert paths(wished)[4:6] == ["2 work/drone/", "2 work/drone/maps/"]
    assert [one.name for one in wished.left_out] == ["music"]


def test_each_device_and_gaps() -> None:
    whole = made(TOP + "    raw : captures : named {date}_{time}\n        {letter} {device} : each device\n"
                 "            {device:slug}\n    <{client} for >{title}.txt : empty file\n    ## one : called first\n",
                 client="")  # fmt: skip
    assert paths(whole) == [
        "/", "raw/", "raw/A Arlen M2/", "raw/A Arlen M2/arlen-m2/", "raw/B Hovar 4K/", "raw/B Hovar 4K/hovar-4k/",
        "Boiler test.txt", "# one/",
    ]  # fmt: skip
    assert whole.named == "{date}_{time}"
    assert whole.made[-1].name == "first"
    assert made("jobs/{job}, {client} : captures", client="").folder == "jobs/0118"
    assert made("jobs/{job} : captures by {year}").landing == ""


@pytest.mark.parametrize(
    ("text", "line", "at", "words"),
    [
        ("", 1, 0, "no folder of the job"),
        ("# nothing\n", 1, 0, "no folder of the job"),
        ("  jobs/{job}\n", 1, 0, "at the begin"),
        ("jobs/{title}\n", 1, 0, "bears its number"),
        ("jobs/{job}/{titel}\n", 1, 12, "Did you mean “title”?"),
        ("jobs/{job}{counter}\n", 1, 11, "can't stand in a layout"),
        ("jobs/{job} {shoot}\n", 1, 12, "known of captures"),
        ("../{job}\n", 1, 0, "leads out of its folder"),
        ("/{job}\n", 1, 0, "without “/”"),
        (".jutrek/{job}\n", 1, 0, "its own things"),
        (f"{TOP}more/{{job}}\n", 2, 0, "is moved in"),
        (f"{TOP}    a\n  b\n", 3, 2, "as far as no line above"),
        (f"{TOP}    a/b\n", 2, 5, "can't hold “/”"),
        (f"{TOP}    a?\n", 2, 5, "can't be in a name"),
        (f"{TOP}    con\n", 2, 4, "some systems"),
        (f"{TOP}    a.txt : from a.txt\n        b\n", 3, 8, "nothing lies in a file"),
        (f"{TOP}    a : from ../a\n", 2, 8, "lies beside the outline"),
        (f"{TOP}    a : twice\n", 2, 8, "says nothing of a line"),
        (f"{TOP}    a : captures\n    b : captures\n", 3, 8, "in line 2 already"),
        (f"{TOP}    a : captures by {{nothing}}\n", 2, 21, "no piece"),
        (f"{TOP}    a : captures in {{device}}\n", 2, 8, "“by” a pattern"),
        (f"{TOP}    a : captures : each device\n", 2, 0, "land in one folder"),
        (f"{TOP}    {{device}}\n", 2, 0, "a line “each device”"),
        (f"about: x\n{TOP}blank: reel\n", 3, 0, "above the folders"),
        ("nothing: x\n", 1, 0, "says nothing here"),
        ("blank: Reel\n", 1, 7, "small letters"),
        ("blank: year\n", 1, 7, "by itself"),
        ("blank: take\n", 1, 7, "known of captures"),
        ("blank: reel : neded\n", 1, 14, "can't be “neded”"),
        ("blank: reel : 400 signs\n", 1, 14, "from 1 to"),
        ("blank: reel\nblank: reel\n", 2, 7, "already"),
        ("series: my jobs\n", 1, 8, "by a word"),
        ("jobs/{job} : if wished\n", 1, 0, "always made"),
    ],
)
def test_what_is_pointed_at(text: str, line: int, at: int, words: str) -> None:
    with pytest.raises(OutlineError, match=words.replace("?", r"\?")) as caught:
        read_outline(text)
    assert (caught.value.line, caught.value.at) == (line, at)


def test_very_long_ones() -> None:
    many = TOP + "".join(f"    folder {number}\n" for number in range(5_000))
    assert len(made(many).made) == 5_001
    with pytest.raises(OutlineError, match="no more than"):
        read_outline(TOP + "    a\n" * MOST_LINES)
    with pytest.raises(OutlineError, match="a megabyte"):
        read_outline(TOP + "    " + "a" * (1 << 20))
    deep = TOP + "".join(f"{' ' * depth}a\n" for depth in range(1, DEEPEST + 2))
    with pytest.raises(OutlineError, match="no deeper"):
        read_outline(deep)
    each = TOP + "    {device} : each device\n" + "".join(f"        {number}\n" for number in range(9_998))
    with pytest.raises(CantStart, match="more than 20,000"):
        made(each, devices=3)
    with pytest.raises(CantStart, match="longer than every system"):
        made(TOP + "".join(f"{' ' * depth}{'a' * 40}\n" for depth in range(1, 8)))


@pytest.mark.parametrize(
    ("title", "folder"),
    [
        ("a/b", "0118 a_b"), ("..", "0118"), ("a\0b", "0118 a_b"), ("CON", "0118 CON"),
        ("x" * 400, "0118 " + "x" * 147),
        ("Käse\u0308", "0118 Käsë"), ("{year}", "0118 {year}"), ("<b>", "0118 _b_"), (" a  b ", "0118 a b"),
    ],
)  # fmt: skip
def test_odd_words_stay_in_the_name(title: str, folder: str) -> None:
    assert made("jobs/{job} {title}", title=title).folder == f"jobs/{folder}"


def test_names_that_are_one() -> None:
    with pytest.raises(CantStart, match="Line 3 makes “RAW”, and so does line 2"):
        made(f"{TOP}    raw\n    RAW\n")
    with pytest.raises(CantStart, match="Line 3 makes “kä”"):
        made(f"{TOP}    k\u00e4\n    ka\u0308\n")


def test_a_blank_is_checked() -> None:
    blanks = {"client": Blank("client", needed=True, choices={"VLT": "Velmora line", "MUS": ""})}
    assert checked_values(blanks, {"client": "velmora LINE"}) == {"client": "VLT"}
    for said, why in (
        ({}, "has to be filled in"),
        ({"client": "X"}, "none of the choices"),
        ({"x": "y"}, "no blank “x”"),
    ):
        with pytest.raises(CantStart, match=why):
            checked_values(blanks, said)
    digits = Blank("reel", only="digits", least=3, most=3, usual="001")
    assert checked_values({"reel": digits}, {}) == {"reel": "001"}
    assert [digits.trouble_with(one) for one in ("012", "12", "a12")] == [
        "", "“reel” takes just 3 signs; “12” has 2.", "“reel” takes digits only."
    ]  # fmt: skip


def test_blanks_of_the_job_in_patterns_of_captures() -> None:
    values = {"reel": "A/1", "roll": "", "job": "0118"}
    assert without_blanks("{reel}/{device}< {roll}>< {reel:lower} {shoot}>", values) == "A_1/{device}< a_1 {shoot}>"
    assert str(parse(escaped("a{b}<c>"), LAYOUT)) == escaped("a{b}<c>")
    assert escaped("#1") == "##1"
