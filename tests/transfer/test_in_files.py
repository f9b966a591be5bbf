"""What is said in the files themselves: on arrival and later, proven, home still, whole after a kill, taken back."""

from __future__ import annotations

import io
import os
import subprocess
from dataclasses import replace
from pathlib import Path

import pytest
from PIL import Image

from jutrek.desk.captioning import caption_captures, move_everywhere
from jutrek.desk.finishing import leave_papers
from jutrek.desk.places import places_of
from jutrek.desk.sidecars import Described, follow
from jutrek.desk.taking_back import take_back
from jutrek.doubles import Standing, compare
from jutrek.errors import LibraryTrouble
from jutrek.filing import Action, HouseRules, Row, Undated
from jutrek.filing.arrival import Saying
from jutrek.filing.rulebook import keep_rules
from jutrek.formats import Wording, read
from jutrek.library import Library, Place, new_library, survey
from jutrek.library.ledger import Ledger
from jutrek.sources import known_source, scan
from jutrek.sources.scan import SourceFile
from jutrek.transfer import Listener, bring, into_files, recover, writing_anew
from jutrek.transfer.arrival_words import going_in_files
from jutrek.transfer.catching_up import lacking
from jutrek.transfer.checking import check
from jutrek.transfer.clearing import Way as Clearing
from jutrek.transfer.clearing import clear
from jutrek.transfer.release import release
from jutrek.transfer.run_log import runs
from jutrek.wording.caption import Caption, with_caption
from jutrek.wording.keywords import Change
from jutrek.wording.own import Own
from jutrek.wording.properties import Field
from tests.cli.test_captioning import columns_of
from tests.embedding.test_room import heic, packet, sound
from tests.killing import die, dying_before, killed_in
from tests.making import WHEN, dng, jpeg, names_below, never, planned, put, wav
from tests.turning.test_patching import clip, picture

_SAID = Caption(Change(add=(("Velmora line", "depot"),)), {Field.RIGHTS: "© Velmora line", Field.CREDIT: "the depot"})
_IN_FILES = ("jpeg", "png", "mp4", "wav", "heic")


@pytest.fixture
def rules(library: Library) -> HouseRules:
    said = Saying(rights="© {year} Velmora line", words=("Velmora line",))
    rules = HouseRules(undated=Undated.UNFILED, inside=True, saying=said)
    keep_rules(library, rules)
    return rules


@pytest.fixture
def held(card: Path) -> Path:
    """A card with one file of each kind, two of which can't be said anything in: they have no room for it."""
    for number, kind in enumerate(("JPEG", "PNG", "WEBP")):
        put(card / f"DCIM/P{number}.{kind}", picture(kind, 6), WHEN.replace(hour=9 + number))
    put(card / "DCIM/P3.HEIC", heic(xmp=packet("before")), WHEN.replace(hour=12))
    put(card / "DCIM/P4.DNG", dng(), WHEN.replace(hour=13))
    put(card / "DCIM/C5.MP4", clip(), WHEN.replace(hour=14))
    put(card / "DCIM/S6.WAV", sound(), WHEN.replace(hour=15))
    return card


def arrive(library: Library, ledger: Ledger, card: Path, rules: HouseRules, *places: Place) -> str:
    outcome = bring(planned(library, ledger, [card], rules), library, ledger, stop=never(), places=places)
    papers = leave_papers(
        library, ledger, outcome.run, rules, places_of(library), stop=never(), report=lambda *_: None
    )  # fmt: skip
    assert (outcome.trouble, outcome.failed, papers.trouble) == (None, [], "")
    return outcome.run


def files(home: Library | Place) -> dict[str, tuple[bytes, int]]:
    """What lies at home, and when it was changed."""
    names = [one for one in names_below(home.root) if not one.startswith((".jutrek", "ascmhl", "reports"))]
    return {one: (Path(home.root, one).read_bytes(), os.stat(Path(home.root, one)).st_mtime_ns) for one in names}


def said_in(home: Library, path: str) -> Wording:
    return read(os.path.join(home.root, path)).wording or Wording()


def at_home(home: Library, ledger: Ledger, card: Path) -> set[str]:
    survey(home, ledger)
    found = [one for one in scan(str(card)) if isinstance(one, SourceFile)]
    stands = compare(found, ledger, home.root)
    return {os.path.basename(path) for path, one in stands.items() if one.standing is Standing.HOME}


def back(home: Library, ledger: Ledger, run: str) -> list[str]:
    return take_back(home, ledger, run, places_of(home), stop=never(), listener=Listener())[1]


def say(home: Library, ledger: Ledger, wanted: Caption = _SAID) -> Described:
    columns = columns_of(home, ledger)
    done = caption_captures(columns, range(columns.count), wanted, home, ledger, stop=never())
    assert follow(done.written, home, ledger, places_of(home), stop=never()) == ""
    return done


def test_what_the_house_says_of_what_comes_stands_in_the_files(
    library: Library, ledger: Ledger, held: Path, tarn: Place, rules: HouseRules
) -> None:
    """And beside those that have no room for it; all is home, proven, and cleared; backups and hash lists have it."""
    run = arrive(library, ledger, held, rules, tarn)
    inside = {one.rpartition(".")[2] for one in files(library) if f"{one.rpartition('.')[0]}.xmp" not in files(library)}
    assert inside == {*_IN_FILES}
    for path in files(library):
        told = said_in(library, path)
        if path.endswith(("webp", "dng")):
            told = said_in(library, f"{path.rpartition('.')[0]}.xmp")
        assert "Velmora line" in told.keywords, path
        assert path.endswith("heic") or told.rights == "© 2026 Velmora line", path
        assert ("before" in told.keywords) is path.endswith("heic")
    assert {one: files(tarn)[one][0] for one in files(tarn)} == {
        one: data for one, (data, _) in files(library).items() if not one.endswith("xmp")
    }
    assert not [row for row in lacking(library, ledger, tarn).rows if not row.source.endswith("xmp")]
    assert not check(library, ledger, tarn, stop=never()).found
    assert len(at_home(library, ledger, held)) == 7
    certificate = release(known_source(str(held)), library, ledger, [tarn], again=False, stop=never())
    assert certificate.safe, [one.why for one in certificate.files]
    before = files(library)
    assert back(library, ledger, run) == []
    assert files(library) == {}
    assert back(library, ledger, runs(library)[-1]) == []
    assert files(library) == before
    certificate = release(known_source(str(held)), library, ledger, [tarn], again=True, stop=never())
    assert certificate.safe, [one.why for one in certificate.files]
    assert clear(certificate, library, ledger, [tarn], way=Clearing.REMOVE, stop=never()).gone == 7


def test_what_is_said_later_is_taken_back_to_the_same_bytes(
    library: Library, ledger: Ledger, held: Path, rules: HouseRules
) -> None:
    """In files and beside them, in one run; a keyword is renamed in both; and all in any order."""
    arrive(library, ledger, held, rules)
    before = files(library)
    done = say(library, ledger)
    assert (done.captures, done.why, len(done.written)) == (7, "", 7)
    columns = columns_of(library, ledger)
    renamed = move_everywhere(
        columns, ("Velmora line", "depot"), ("Velmora line", "Lower depot"), library, ledger, alone=True, stop=never()
    )  # fmt: skip
    assert (renamed.captures, renamed.why) == (7, "")
    for path in files(library):
        if path.endswith((*_IN_FILES, "xmp")):
            assert {"Velmora line", "Lower depot"} <= {*said_in(library, path).keywords}, path
            assert "depot" not in said_in(library, path).keywords
    assert len(at_home(library, ledger, held)) == 7
    assert back(library, ledger, renamed.run) == []
    assert back(library, ledger, done.run) == []
    assert files(library) == before
    with Ledger(f"{ledger.path}.new") as other:
        other.is_new = True
        recover(library, other)
        assert {one.path for one in other.amended.standing()} == {one.path for one in ledger.amended.standing()}
        assert len(at_home(library, other, held)) == 7


def dying_at(where: str, cut: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """Let the process die before the so-manieth write, sync, exchange or removal."""
    module, name = {
        "write": (writing_anew, "_write"), "sync": (os, "fsync"), "exchange": (writing_anew.Held, "replace"),
        "proof": (into_files, "other_than"), "removal": (os, "unlink"),
    }[where]  # fmt: skip
    dying_before(module, name, cut, monkeypatch)


@pytest.mark.parametrize(
    ("where", "cut"),
    [*(("write", cut) for cut in (1, 2, 3, 7)), *(("sync", cut) for cut in range(2, 9, 2)), ("proof", 1), ("proof", 3),
     ("exchange", 1), ("exchange", 4), ("removal", 1), ("removal", 2)],
)  # fmt: skip
def test_a_kill_leaves_each_file_as_it_was_or_with_what_is_said(
    where: str, cut: int, library: Library, ledger: Ledger, held: Path, rules: HouseRules,
    monkeypatch: pytest.MonkeyPatch,
) -> None:  # fmt: skip
    arrive(library, ledger, held, rules)
    before = files(library)
    columns = columns_of(library, ledger)

    def go() -> None:
        dying_at(where, cut, monkeypatch)
        caption_captures(columns, range(columns.count), _SAID, library, ledger, stop=never())
        die()

    killed_in(go)
    recover(library, ledger)
    after = files(library)
    assert after.keys() == before.keys(), "nothing is left beside them"
    for path in after:
        if after[path] != before[path]:
            assert "depot" in said_in(library, path).keywords
    assert len(at_home(library, ledger, held)) == 7
    changed = {one for one in after if after[one] != before[one] and not one.endswith("xmp")}
    assert changed <= {one.path for one in ledger.amended.standing()}
    assert back(library, ledger, runs(library)[-1]) == [] if changed else True
    assert files(library) == before


@pytest.mark.parametrize(("where", "cut"), [("exchange", 2), ("proof", 1), ("removal", 1), ("write", 2)])
def test_an_intake_that_was_killed_says_it_of_all_that_came(
    where: str, cut: int, library: Library, ledger: Ledger, held: Path, rules: HouseRules,
    monkeypatch: pytest.MonkeyPatch,
) -> None:  # fmt: skip
    plan = planned(library, ledger, [held], rules)

    def go() -> None:
        dying_at(where, cut, monkeypatch)
        bring(plan, library, ledger, stop=never())

    killed_in(go)
    recover(library, ledger)
    paths = {one for one in files(library) if not one.endswith("xmp")}
    assert len(paths) == len(at_home(library, ledger, held))
    for path in paths:
        beside = f"{path.rpartition('.')[0]}.xmp"
        assert ledger.amended.of(path) is None or beside not in files(library), "once is enough"
        assert "Velmora line" in said_in(library, beside if beside in files(library) else path).keywords
    assert back(library, ledger, runs(library)[0]) == []
    assert files(library) == {}


def test_what_can_not_be_proven_or_contradicts_is_said_beside(
    library: Library, ledger: Ledger, card: Path, rules: HouseRules, monkeypatch: pytest.MonkeyPatch
) -> None:
    put(card / "P0.JPG", picture("JPEG", 6), WHEN)
    put(card / "P1.JPG", picture("JPEG", 6, quality=60), WHEN.replace(hour=11))
    # This one has room without growing.
    put(card / "P2.HEIC", heic(xmp=packet("before") + b" " * 3000), WHEN.replace(hour=12))
    monkeypatch.setattr(into_files, "other_than", lambda *_: "They differ.")
    arrive(library, ledger, card, rules)
    assert sorted(one.rpartition(".")[2] for one in files(library)) == ["heic", "jpg", "jpg", "xmp", "xmp", "xmp"]
    assert ledger.amended.standing() == []


def test_what_does_not_read_back_as_written_never_takes_its_place(
    library: Library, ledger: Ledger, held: Path, rules: HouseRules, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Nor is anything left of it; rights and attributes of what was written anew are those of the file."""
    arrive(library, ledger, held, rules)
    before = files(library)
    path = next(one for one in before if one.endswith("png"))
    os.chmod(Path(library.root, path), 0o640)
    os.setxattr(Path(library.root, path), "user.velmora", b"depot")
    with monkeypatch.context() as patch:
        patch.setattr(writing_anew, "read_back", lambda *_, **__: (bytes(16), True))
        assert {one for one in say(library, ledger).written if not one.endswith("xmp")} == set()
    assert {one: both for one, both in files(library).items() if not one.endswith("xmp")} == {
        one: both for one, both in before.items() if not one.endswith("xmp")
    }
    assert not [one for one in names_below(library.root) if one.endswith(".part")]
    assert path in say(library, ledger, Caption(Change(add=(("crossing",),)))).written
    status = os.stat(Path(library.root, path))
    assert (status.st_mode & 0o777, os.getxattr(Path(library.root, path), "user.velmora")) == (0o640, b"depot")


def test_a_full_or_read_only_disk_leaves_all_as_it_was(small_place: Path, tmp_path: Path) -> None:
    library = new_library(str(small_place))
    keep_rules(library, HouseRules(inside=True))
    for number in range(3):
        noise = Image.effect_noise((1400, 1000), 90 + number)
        out = io.BytesIO()
        noise.convert("RGB").save(out, "JPEG", quality=95)
        put(small_place / f"2026/P{number}.jpg", out.getvalue())
    with Ledger(str(tmp_path / "ledger")) as ledger:
        survey(library, ledger)
        columns = columns_of(library, ledger)
        before = files(library)
        room = os.statvfs(small_place)
        filler = small_place / ".filler"
        filler.write_bytes(bytes(room.f_bavail * room.f_frsize - len(before["2026/P0.jpg"][0]) // 2))
        full = caption_captures(columns, range(columns.count), _SAID, library, ledger, stop=never())
        assert (full.captures, "full" in full.why) == (0, True), full.why
        assert {one: files(library)[one] for one in before} == before
        assert not [one for one in names_below(library.root) if one.endswith(".part")]
        filler.unlink()
        subprocess.run(["mount", "-o", "remount,ro", small_place], check=True)
        with pytest.raises(LibraryTrouble):
            caption_captures(columns, range(columns.count), _SAID, library, ledger, stop=never())
        subprocess.run(["mount", "-o", "remount,rw", small_place], check=True)
        assert files(library) == before
        assert caption_captures(columns, range(3), _SAID, library, ledger, stop=never()).captures == 3


def test_what_a_kill_left_beside_a_file_that_somebody_changed_since_is_kept(
    library: Library, ledger: Ledger, card: Path, rules: HouseRules, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Whatever it is: nobody knows then which of the two is right."""
    put(card / "P0.JPG", picture("JPEG", 6), WHEN)
    arrive(library, ledger, card, rules)
    path = next(one for one in files(library) if one.endswith(("jpg", "jpeg")))
    before = files(library)[path][0]
    columns = columns_of(library, ledger)

    def go() -> None:
        dying_at("removal", 1, monkeypatch)
        caption_captures(columns, range(columns.count), _SAID, library, ledger, stop=never())

    killed_in(go)
    Path(library.root, path).write_bytes(b"theirs")
    recover(library, ledger)
    assert files(library)[path][0] == b"theirs"
    kept = Path(library.own, "replaced")
    assert [one.read_bytes() for one in kept.rglob("*") if one.is_file()] == [before]


def test_of_captures_that_are_several_files_it_is_said_beside(
    library: Library, ledger: Ledger, card: Path, rules: HouseRules, monkeypatch: pytest.MonkeyPatch
) -> None:
    """And of those of which more is said there; one file alone is said it in."""
    for name, data in (("P0.JPG", jpeg()), ("P0.DNG", dng()), ("P1.JPG", jpeg(WHEN.replace(hour=12), seed=1))):
        put(card / f"DCIM/{name}", data, WHEN)
    arrive(library, ledger, card, rules)
    assert sorted(one.rpartition("/")[2] for one in files(library)) == [
        "20260514_102613.dng", "20260514_102613.jpg", "20260514_102613.xmp", "20260514_122613.jpg"
    ]  # fmt: skip
    assert "Velmora line" in said_in(library, "2026/05/20260514_122613.jpg").keywords
    put(card / "DCIM/P2.JPG", jpeg(WHEN.replace(hour=13), seed=2), WHEN)
    arrive(library, ledger, card, replace(rules, originals=True))
    assert "2026/05/20260514_132613.xmp" in files(library)
    put(card / "DCIM/P3.JPG", large := jpeg(WHEN.replace(hour=14), seed=3), WHEN)
    monkeypatch.setattr(into_files, "LARGEST", len(large) - 1)
    arrive(library, ledger, card, rules)
    assert "2026/05/20260514_142613.xmp" in files(library)
    # The same of what lies there already.
    for name, data in (("R.jpg", jpeg(seed=7)), ("R.wav", wav(seed=7)), ("T.jpg", jpeg(seed=8))):
        put(Path(library.root, "2026", name), data)
    monkeypatch.setattr(into_files, "LARGEST", 2 * len(large))
    assert {"2026/R.xmp", "2026/T.jpg"} == {one for one in say(library, ledger).written if one[5] in "RT"}


def test_only_what_is_one_file_and_says_no_more_goes_there() -> None:
    row = Row("/c/a.jpg", "/c", Action.BRING, "a.jpg", "", 1, 0, "/c/a.jpg", "a.xmp", says=(("rights", "x"),))
    rules = HouseRules(inside=True, sidecars=True)
    fixed = row._replace(by=row.by._replace(shift=60.0))
    for rows, held, going in (
        ([row], rules, True), ([row], replace(rules, inside=False), False), ([fixed], rules, False),
        ([fixed], replace(rules, sidecars=False), True), ([row._replace(says=())], rules, False),
        ([row], replace(rules, originals=True), False), ([row._replace(sidecar="")], rules, False),
        ([row, row._replace(source="/c/a.wav", sidecar="", says=())], rules, False),
    ):  # fmt: skip
        assert going_in_files(rows, held) == (frozenset({"/c/a.jpg"}) if going else frozenset()), rows


def test_what_would_not_be_read_in_it_is_no_proof(tmp_path: Path) -> None:
    path = put(tmp_path / "a.jpg", picture("JPEG", 6))
    beside: list[str] = []
    one = into_files.InFile("a.jpg", lambda old, own: with_caption(old, _SAID, own), beside)
    (splice,) = one.wanted.how(str(path))
    data = path.read_bytes()
    new = put(tmp_path / "b.jpg", data[: splice.offset] + splice.new + data[splice.offset :])
    prove = one.wanted.proven
    assert prove is not None
    assert prove(str(path), str(new)) == ""
    assert "not be read" in prove(str(path), str(path))
    other = put(tmp_path / "c.jpg", new.read_bytes().replace(b"depot", b"DEPOT"))
    assert "not be read" in prove(str(path), str(other))
    assert beside == []


def test_what_a_file_contradicts_is_said_beside_it(
    library: Library, ledger: Ledger, rules: HouseRules, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Some programs believe Exif and not the packet. And what later could not be proven is said there, too."""
    exif, out = Image.Exif(), io.BytesIO()
    exif[0x8298] = "© Mira"
    Image.effect_noise((64, 48), 60).convert("RGB").save(out, "JPEG", exif=exif)
    put(Path(library.root, "2026/P0.jpg"), out.getvalue())
    assert set(say(library, ledger).written) == {"2026/P0.xmp"}
    own = Own(("Depot",), {Field.RIGHTS: "©  Mira", Field.TITLE: "t"})
    for said, against in (
        (Caption(Change(add=(("depot",),)), {Field.RIGHTS: "© Mira"}), False),
        (Caption(Change(add=(("snow",),)), {Field.RIGHTS: "© Mira"}), True),
        (Caption(Change(add=(("depot",),)), {Field.RIGHTS: "© Lyd"}), True),
        (Caption(Change(add=(("depot", "snow"),))), False),
    ):
        assert into_files.contradicted(with_caption(b"", said), own) is against, said
    put(Path(library.root, "2026/P1.jpg"), jpeg())
    survey(library, ledger)
    monkeypatch.setattr(into_files, "other_than", lambda *_: "They differ.")
    assert "2026/P1.xmp" in say(library, ledger, Caption(Change(add=(("crossing",),)))).written


def test_what_another_program_wrote_meanwhile_stays(
    library: Library, ledger: Ledger, held: Path, rules: HouseRules, monkeypatch: pytest.MonkeyPatch
) -> None:
    arrive(library, ledger, held, rules)
    real = into_files.other_than

    def meanwhile(old: str, *more: object) -> str:
        if old.endswith("png"):
            Path(old).write_bytes(Path(old).read_bytes() + b"theirs")
        return real(old, *more)  # type: ignore[arg-type]

    monkeypatch.setattr(into_files, "other_than", meanwhile)
    done = say(library, ledger)
    path = next(one for one in files(library) if one.endswith("png"))
    assert files(library)[path][0].endswith(b"theirs")
    assert path not in done.written
    assert path in done.why
