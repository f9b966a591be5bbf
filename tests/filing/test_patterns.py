"""The pattern language: what it says, what it refuses, and that no pattern can make names clash."""

from __future__ import annotations

import os
import re
from collections.abc import Sequence
from datetime import date, datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pathvalidate import validate_filename

from jutrek.captures import Capture, Device, Shoot, group
from jutrek.filing import Extensions, HouseRules, PatternError, Per, RuleError, Scheme, Wishes, make_plan
from jutrek.filing.facts import Facts, facts_of
from jutrek.filing.names import legal, same_name, shortened, units
from jutrek.filing.naming import Piles
from jutrek.filing.pattern import LAYOUT, NAME, Optional, Part, Pattern, Piece, joined, parse, trouble_with
from jutrek.filing.pieces import PIECES
from jutrek.formats import Precision
from jutrek.library import Library
from tests.captures.make import CAMCORDER, M2, RECORDER, file, shot

WHEN = datetime(2026, 5, 15, 1, 26, 13, 420_000)
ARLEN = Device("k", "Arlen M2", "A")


def facts(capture: Capture | None = None, words: str = "", **said: str) -> Facts:
    """A still of the night after 14 May, in a shoot that is filed under that day."""
    capture = capture or group([file("DCIM/101ARLEN/DSC04411.DNG", WHEN, precision=Precision.SUBSECOND, offset=120)])[0]
    shoot = Shoot("2026-05-14", date(2026, 5, 14), words, (capture,), WHEN, WHEN)
    return facts_of(capture, shoot, ARLEN, "Ilvar", said)


def wish(one: Facts, **rules: str) -> tuple[str, str]:
    made = HouseRules(**rules)  # type: ignore[arg-type]
    ((folder, stem, *_),) = Piles([one], made).wishes(made)
    return folder, stem


@pytest.mark.parametrize(
    ("pattern", "written"),
    [
        ("{year}{month}{day} {date} {time}", "20260515 20260515 012613"),
        ("{hour}.{minute}.{second}.{millisecond}", "01.26.13.420"),
        ("{filed} {shot} {filed:%d.%m.%y} {shot:%j %H %%}", "20260514 20260515 14.05.26 135 01 %"),
        ("{week-year}-W{week}-{weekday:number} {weekday:short} {weekday}", "2026-W20-5 Fri Friday"),
        ("{month:name} {month:short} {date:%B %b %A %a %G %V %u %y}", "May May May May Friday Fri 2026 20 5 26"),
        ("{offset}", "+0200"),
        ("{shoot} at {place}", "Bridge survey at Upper valley"),
        ("{shoot:upper} {shoot:lower} {shoot:slug}", "BRIDGE SURVEY bridge survey bridge-survey"),
        ("{place:slug}", "upper-valley"),
        ("{device} {letter} {make} {model} {serial} {operator}", "Arlen M2 A Arlen M2 A2-1 Ilvar"),
        ("{kind} {format} {format:upper}", "Stills dng DNG"),
        ("{original} {original-folder} {original-number:3} {original-number}", "DSC04411 101ARLEN 4411 04411"),
        ("{job} {client:slug} {title}", "26-014 velmora-line Spring"),
        ("a{{b}}c", "a{b}c"),
        ("<{lens}>{date}< {scene}>", "20260515"),
        ("{letter}_{lens}_{date}-{take}", "A_20260515"),
        ("{lens} {scene}", "DSC04411"),
        ("{year}-{lens}_{month}", "2026-05"),
        ("{shoot}.", "Bridge survey"),
    ],
)  # fmt: skip
def test_pieces_write_what_is_known(pattern: str, written: str) -> None:
    """In names dates are the true ones; what is empty goes with what joined it; what is left is legal."""
    one = facts(words="Bridge survey @ Upper valley", job="26-014", client="Vélmora line", title="Spring")
    assert wish(one, name=pattern)[1] == written


@pytest.mark.parametrize(
    ("precision", "folder", "name"),
    [(Precision.SECOND, "2026/05/15 Fri", "20260515_012613"), (Precision.DAY, "2026/05/15 Fri", "20260515"),
     (Precision.MONTH, "2026/05", "202605"), (Precision.YEAR, "2026", "2026")],
)  # fmt: skip
def test_patterns_go_as_far_as_the_date_is_known(precision: Precision, folder: str, name: str) -> None:
    """A date that is only a month makes no day up."""
    (capture,) = group([file("1.JPG", WHEN.replace(microsecond=0), precision=precision)])
    one = facts_of(capture, None, None, "", {})
    rules = {"layout": "{year}/{month}/{day} {weekday:short}", "name": "{date}_{time}<_{filed:%d.%m}>"}
    assert wish(one, **rules) == (folder, name + ("_15.05" if precision >= Precision.DAY else ""))


_texts = st.text(st.sampled_from("ab _-.{}<>/:%Äé"), min_size=1, max_size=6)
_forms = {"date": ["", "%d.%m.%y", "%Y"], "counter": ["", "4"], "month": ["", "name"], "shoot": ["", "slug"]}
_pieces = st.sampled_from(sorted(PIECES)).flatmap(
    lambda name: st.sampled_from(_forms.get(name, [""])).map(lambda form: Piece(name, form))
)
_inner = st.lists(st.one_of(_texts, _pieces), min_size=1, max_size=4).filter(
    lambda parts: any(isinstance(part, Piece) for part in parts)
)
_optionals = _inner.map(lambda parts: Optional(tuple(one for one in joined(parts) if not isinstance(one, Optional))))
_patterns = st.lists(st.one_of(_texts, _pieces, _optionals), max_size=7).map(lambda parts: Pattern(joined(parts)))


@given(_patterns)
def test_a_pattern_is_written_and_read_again(pattern: Pattern) -> None:
    """Whatever signs its texts hold."""
    assert parse(str(pattern)) == pattern


@given(st.text(st.sampled_from("{}<>/ab:%yearshot"), max_size=20))
def test_any_text_is_a_pattern_or_an_error_within_it(text: str) -> None:
    """Nothing else happens, and what was read is written as something that reads the same."""
    try:
        pattern = parse(text)
    except PatternError as error:
        assert 0 <= error.at < len(text)
    else:
        assert parse(str(pattern)) == pattern


def _fitting(pattern: Pattern, *, use: str) -> str:
    def fits(part: Part) -> bool:
        return not (isinstance(part, Piece) and part.name == "counter") if use == LAYOUT else "/" not in str(part)

    parts = [
        Optional(tuple(one for one in part.parts if fits(one))) if isinstance(part, Optional) else part
        for part in pattern.parts
    ]
    kept = [part for part in parts if (any(isinstance(one, Piece) for one in part.parts)
            if isinstance(part, Optional) else fits(part))]  # fmt: skip
    return str(Pattern(joined(kept)))


_words = st.sampled_from(
    ["", "Yard", "yard", "Straße", "STRASSE", "a/b", "x" * 300, "con", "n\u0303", "ñ", "Y @ Z", ". "]
)


@settings(max_examples=80, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(
    _patterns, _patterns, st.lists(st.tuples(st.integers(0, 3), _words, st.booleans()), min_size=1, max_size=8),
    st.sampled_from(list(Per)), st.sampled_from(list(Extensions)),
)  # fmt: skip
def test_no_pattern_makes_a_clash(
    tmp_path_factory: pytest.TempPathFactory, layout: Pattern, name: Pattern,
    frames: Sequence[tuple[int, str, bool]], per: Per, extensions: Extensions,
) -> None:  # fmt: skip
    """Whatever the patterns: names are legal, free and unique, companions share a stem, and plans repeat."""
    root = tmp_path_factory.mktemp("library")
    for taken in ("2026/05/20260514_000000.jpg", "yard/x.jpg", "a", "Stills"):
        (root / taken).parent.mkdir(parents=True, exist_ok=True)
        (root / taken).touch()
    texts = ((LAYOUT, _fitting(layout, use=LAYOUT)), (NAME, _fitting(name, use=NAME)))
    layout_text, name_text = ("{year}" if trouble_with(text, use) else text for use, text in texts)
    rules = HouseRules(
        layout_text, name_text, counter_per=per, extensions=extensions,
        schemes=(Scheme(words="yard", layout="{kind}/a"),),
    )  # fmt: skip
    captures, shoots = [], []
    for number, (second, words, is_pair) in enumerate(frames):
        when = datetime(2026, 5, 14) + timedelta(seconds=second)
        files = [file(f"{number}/DSC{number}.{suffix}", when) for suffix in (["DNG", "JPG"] if is_pair else ["JPG"])]
        captures += group(files)
        shoots.append(Shoot(f"{number}", when.date(), words, (captures[-1],), when, when))
    library = Library(str(root), "id", "x")
    wishes = Wishes(shoots=shoots, devices={captures[0].device: ARLEN})
    plan = make_plan(library, rules, captures, {}, (), wishes)
    assert plan == make_plan(library, rules, captures, {}, (), wishes)
    destinations = [row.destination or "" for row in plan.rows]
    folders = {same_name(os.path.dirname(path)[:cut]) for path in destinations for cut in range(len(path))}
    keys = [same_name(path) for path in destinations]
    assert len(set(keys)) == len(keys) == sum(len(one.files) for one in captures)
    assert not set(keys) & folders - {""}
    existing = {same_name(os.path.relpath(os.path.join(at, one), root)) for at, _, own in os.walk(root) for one in own}
    assert not existing & set(keys)
    for path in destinations:
        assert all(legal(part) == part and len(part.encode()) <= 255 for part in path.split("/"))
        assert units(path) <= 240
        assert not (root / path).exists()
        for folder in Path(path).parents[:-1]:
            assert not (root / folder).is_file()
    stems = [
        {os.path.splitext(row.destination or "")[0] for row in plan.rows if row.capture == one.id} for one in captures
    ]
    assert all(len(own) == 1 for own in stems)


def plan_names(root: Path, rules: HouseRules, captures: Sequence[Capture], words: str = "Yard") -> list[str]:
    """Where primaries go, all of them in one shoot."""
    shoot = Shoot("k", WHEN.date(), words, tuple(captures), WHEN, WHEN)
    plan = make_plan(Library(str(root), "id", "x"), rules, captures, {}, (), Wishes(shoots=[shoot]))
    return [row.destination or "" for row in plan.rows]


def test_schemes_hold_for_what_they_are_for(tmp_path: Path) -> None:
    """The first that fits; what it leaves open is the house's."""
    schemes = (
        Scheme(kinds=("sound",), layout="Sound/{year}"),
        Scheme(device="hovar 4k", name="clip {time}"),
        Scheme(words="YARD", layout="Yards"),
    )
    rules = HouseRules(layout="All", name="{date}", schemes=schemes)
    captures = [shot("1.WAV", WHEN, RECORDER), shot("2.MOV", WHEN, CAMCORDER), shot("3.JPG", WHEN, M2)]
    assert plan_names(tmp_path, rules, captures) == [
        "Sound/2026/20260515.wav",
        "All/clip 012613.mov",
        "Yards/20260515.jpg",
    ]
    assert [one.about for one in (*schemes, Scheme())] == ["sound", "device hovar 4k", "“YARD”", "everything"]


@pytest.mark.parametrize(
    ("use", "text", "at", "words"),
    [
        (LAYOUT, "", 0, "needs a folder"),
        (LAYOUT, "/", 0, "begins below the library"),
        (LAYOUT, "/{year}", 0, "begins below the library"),
        (LAYOUT, "{year}//{month}", 7, "no folder between"),
        (LAYOUT, "../{year}", 0, "leads out"),
        (LAYOUT, "{year}/../x", 7, "leads out"),
        (LAYOUT, "{year}/ /x", 7, "leads out"),
        (LAYOUT, ".jutrek/{year}", 0, "keeps its own things"),
        (LAYOUT, ".Jutrek", 0, "keeps its own things"),
        (LAYOUT, "{year}/.hidden", 7, "hidden"),
        (LAYOUT, "C:/{year}", 1, "not every disk"),
        (LAYOUT, "{year}<|{shoot}>", 7, "not every disk"),
        (LAYOUT, "{year}/a<<b", 8, "not every disk"),
        (LAYOUT, "{date:%Y/%m}", 6, "makes no folders"),
        (LAYOUT, "x/con", 2, "keep it for themselves"),
        (LAYOUT, "COM\u00b9", 0, "keep it for themselves"),
        (NAME, "", 0, "{original}"),
        (NAME, ".{letter}", 0, "hidden"),
        (NAME, "a\nb", 1, "U+000A"),
        (NAME, "nul.{year}", 0, "keep it for themselves"),
        (NAME, "nul{year}", None, ""),
        (NAME, "{date:%H:%M}", 6, "not every disk"),
        (NAME, "CONIN$", 0, "keep it for themselves"),
        (LAYOUT, "{year}/", None, ""),
        (LAYOUT, "{year}</{shoot}>/{kind}", None, ""),
        (LAYOUT, "x.y/con{year}", None, ""),
    ],
)
def test_what_would_be_bent_is_an_error_where_it_stands(use: str, text: str, at: int | None, words: str) -> None:
    if at is None:
        assert trouble_with(text, use) is None
        return
    with pytest.raises(RuleError, match=re.escape(words)) as found:
        HouseRules(**{use: text})
    assert found.value.at == at
    if text:
        with pytest.raises(RuleError):
            HouseRules(schemes=(Scheme(**{use: text}),))


_DEVICES = st.sampled_from(
    ["con", "COM1", "com\u00b9", "LPT\u00b3", "lpt9", "com0", "conin$", "CONOUT$", "nul", "clock$", "aux.tar", "prn "]
)


@pytest.mark.long
@settings(max_examples=300, deadline=None)
@given(st.text(max_size=40) | st.tuples(_DEVICES, st.text(alphabet=" .x\u00e4", max_size=4)).map("".join))
def test_names_are_legal_by_another_judge_too(text: str) -> None:
    """Whatever text: the name that is made of it is one that every file system takes, and stays as it is."""
    name = shortened(legal(text), 200)
    validate_filename(name, platform="universal")
    validate_filename(f"{name}.jpg", platform="windows")
    assert legal(name) == name
