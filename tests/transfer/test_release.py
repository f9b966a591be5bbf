"""Safe to clear: proven afresh, told honestly, and only then cleared; and what rots at home is found and mended."""

from __future__ import annotations

import json
import os
import subprocess
import threading
from collections.abc import Callable
from pathlib import Path

import pytest

from jutrek.errors import PlaceLost, SourceRefused, Stopped
from jutrek.library import Library, Place, add_place, as_place, survey
from jutrek.library.home import State
from jutrek.library.ledger import Ledger
from jutrek.sources import known_source
from jutrek.transfer import bring, recover
from jutrek.transfer.catching_up import catch_up, lacking
from jutrek.transfer.certificate import Certificate, OnSource, Where
from jutrek.transfer.checking import Finding, check, let_go, mend
from jutrek.transfer.clearing import Way, clear
from jutrek.transfer.release import keep_certificate, release
from jutrek.transfer.run_log import run_log_of, runs
from tests import making
from tests.conftest import Medium
from tests.making import WHEN, everything, names_below, never, planned, put
from tests.transfer.test_bring import fill


@pytest.fixture
def home(library: Library, ledger: Ledger, card: Path, tarn: Place) -> Library:
    """A card that is home in two places."""
    fill(card, 4)
    bring(planned(library, ledger, [card]), library, ledger, stop=never(), places=[tarn])
    return library


def certify(card: Path, library: Library, ledger: Ledger, *places: Place, again: bool = False) -> Certificate:
    survey(library, ledger)
    return release(known_source(str(card)), library, ledger, places, again=again, stop=never())


def rot(path: Path) -> None:
    """One bit flips on the medium; size and time stay."""
    stamp, data = path.stat(), bytearray(path.read_bytes())
    data[len(data) // 2] ^= 1
    path.write_bytes(bytes(data))
    os.utime(path, ns=(stamp.st_atime_ns, stamp.st_mtime_ns))


def test_a_card_is_proven_whatever_its_files_are_called_at_home(
    home: Library, ledger: Ledger, card: Path, tarn: Place
) -> None:
    """By content, in every place, a week later and renamed; the card is only read; the certificate is kept."""
    before = everything(card)
    renamed = sorted(names_below(home.root))[0]
    os.rename(Path(home.root, renamed), Path(home.root, "2026", "another name.jpg"))
    certificate = certify(card, home, ledger, tarn, again=True)
    assert certificate.safe
    assert certificate.verdict == "Safe to clear: all 5 files are proven in library and Tarn."
    assert all(len(one.where) == 2 for one in certificate.files)
    assert everything(card) == before
    path = Path(keep_certificate(certificate, home))
    assert certificate.verdict in path.read_text()
    assert "another name.jpg" in path.read_text()
    page = json.loads(path.with_suffix(".json").read_text())
    assert (page["safe"], len(page["files"])) == (True, 5)
    assert run_log_of(home, runs(home)[-1]).head["safe"] is True


@pytest.mark.parametrize("what", ["new", "rotted at home", "rotted on the card", "gone from a place", "away", "other"])
def test_what_is_not_home_is_named(what: str, home: Library, ledger: Ledger, card: Path, tarn: Place) -> None:
    """Nothing is called safe that is not: each way a file can be missing is told."""
    again, away = what == "rotted at home", ()
    if what == "new":
        put(card / "NEW.JPG", making.jpeg(WHEN.replace(hour=22)))
    elif what == "rotted at home":
        rot(Path(home.root, sorted(names_below(home.root))[0]))
    elif what == "rotted on the card":
        rot(card / "DCIM" / "DSC001.JPG")
    elif what == "gone from a place":
        Path(tarn.root, sorted(names_below(tarn.root))[0]).unlink()
    elif what == "other":
        put(card / "INDEX.BIN", b"what a camera keeps for itself")
    else:
        away = (tarn,)
    places = () if away else (tarn,)
    survey(home, ledger)
    certificate = release(known_source(str(card)), home, ledger, places, away=away, again=again, stop=never())
    assert not certificate.safe
    assert certificate.verdict.startswith("Not safe to clear")
    assert len(certificate.missing) == (0 if away or what == "other" else 1)
    assert len(certificate.others) == (what == "other")


@pytest.mark.parametrize(
    ("lacks", "other", "words"),
    [
        ([{"T"}], 0, "Tarn lacks 1 of 3 files"), ([{"T", "H"}, {"T", "H"}], 0, "Tarn and Heron lack 2 of 3 files"),
        ([{"T"}, {"H"}], 0, "2 of 3 files are not home everywhere"),
        ([{"", "T", "H"}], 0, "1 of 3 files is not home everywhere"),
        ([{""}], 1, "library lacks 1 of 3 files, and 1 thing was not brought"), ([], 2, "2 things were not brought"),
    ],
)  # fmt: skip
def test_the_verdict_says_where_what_is_lacking(lacks: list[set[str]], other: int, words: str) -> None:
    """By the names of places while it is the same for all files; what was not brought is counted with it."""
    places = (("", "library"), ("T", "Tarn"), ("H", "Heron"))
    found = [*lacks, *[set[str]()] * (3 - len(lacks) - other)]
    files = [
        OnSource(f"/c/{number}", 1, 1, b"x", tuple(Where(id_, "p", "2026") for id_, _ in places if id_ not in lack),
                 why="It is lacking." if lack else "") for number, lack in enumerate(found)
    ] + [OnSource("/c/x", 1, 1, other=True, why="It was not brought.")] * other  # fmt: skip
    certificate = Certificate("/c", "Card A", "2026", "library", "L", places, (), tuple(files))
    assert certificate.verdict == f"Not safe to clear: {words}."
    assert not certificate.safe


def test_a_copy_that_cannot_be_read_is_known_from_then_on(
    library: Library, ledger: Ledger, card: Path, medium: Callable[[str], Medium]
) -> None:
    """A release that meets it names it, and so does whatever asks later; it was no loss of a drive."""
    fill(card, 2)
    disk = medium("Tarn")
    tarn = add_place(library, str(disk.top), "Tarn")
    bring(planned(library, ledger, [card]), library, ledger, stop=never(), places=[tarn])
    name = sorted(names_below(str(disk.below)))[0]
    disk.fail(read_error={f"/{name}": (0, 10**9)})
    certificate = certify(card, library, ledger, tarn, again=True)
    assert certificate.verdict == "Not safe to clear: Tarn lacks 1 of 3 files."
    assert ledger.marks(tarn.id)[name].state is State.UNREADABLE
    assert [entry["entry"] for entry in run_log_of(library, runs(library)[-1]).others] == ["unreadable"]


def test_only_what_is_proven_is_ever_removed(home: Library, ledger: Ledger, card: Path, tarn: Place) -> None:
    """A file that is new, one that changed since the proof, one whose copy vanished, and what is no capture stay."""
    put(card / "NEW.JPG", making.jpeg(WHEN.replace(hour=22)))
    put(card / "INDEX.BIN", b"what a camera keeps for itself")
    certificate = certify(card, home, ledger, tarn)
    put(card / "DCIM" / "DSC001.JPG", b"another picture by now")
    vanished = next(one for one in certificate.home if one.path.endswith("DSC002.JPG"))
    Path(home.root, vanished.paths[""]).unlink()
    cleared = clear(certificate, home, ledger, [tarn], Way.REMOVE, stop=never())
    assert cleared.gone == 3
    assert {path.name for path in card.rglob("*") if path.is_file()} == {
        "NEW.JPG", "INDEX.BIN", "DSC001.JPG", "DSC002.JPG",
    }  # fmt: skip
    assert len(cleared.stayed) == 4
    entries = run_log_of(home, runs(home)[-1]).others
    assert [one["entry"] for one in entries].count("remove") == 3
    assert len(names_below(tarn.root)) == 5


def _again(path: Path, data: bytes) -> None:
    """Bytes in a file that has another number, and the time that was there before."""
    before = path.stat()
    path.with_suffix(".new").write_bytes(data)
    path.with_suffix(".new").replace(path)
    os.utime(path, ns=(before.st_atime_ns, before.st_mtime_ns))


@pytest.mark.parametrize("where", ["card", "home", "tarn"])
@pytest.mark.parametrize("how", ["later", "longer", "another", "touched"])
def test_what_is_not_the_very_file_that_was_proven_stays(
    where: str, how: str, home: Library, ledger: Ledger, card: Path, tarn: Place
) -> None:
    """By its time, its size, its number; a copy also if it was written to and its time put back."""
    certificate = certify(card, home, ledger, tarn)
    one = next(one for one in certificate.home if one.path.endswith("DSC002.JPG"))
    places = {"card": one.path, "home": f"{home.root}/{one.paths['']}", "tarn": f"{tarn.root}/{one.paths[tarn.id]}"}
    path, data = Path(places[where]), Path(one.path).read_bytes()
    before = path.stat()
    if how == "later":
        os.utime(path, ns=(0, before.st_mtime_ns + 1))
    elif how == "longer":
        path.write_bytes(data + b".")
        os.utime(path, ns=(0, before.st_mtime_ns))
    elif how == "another":
        _again(path, data)
    else:
        os.utime(path, ns=(0, before.st_mtime_ns))
    cleared = clear(certificate, home, ledger, [tarn], Way.REMOVE, stop=never())
    stays = (where, how) != ("card", "touched")
    assert [path for path, _ in cleared.stayed if path == one.path] == [one.path] * stays
    assert Path(one.path).exists() is stays
    assert cleared.gone == len(certificate.home) - stays


def test_a_place_that_is_not_asked_keeps_everything_on_the_card(
    home: Library, ledger: Ledger, card: Path, tarn: Place
) -> None:
    """A certificate that a place was away for clears nothing."""
    before = everything(card)
    certificate = release(known_source(str(card)), home, ledger, (), away=(tarn,), stop=never())
    assert clear(certificate, home, ledger, [], Way.REMOVE, stop=never()).gone == 0
    assert everything(card) == before


def test_nothing_proves_itself(home: Library, ledger: Ledger, card: Path, tarn: Place, tmp_path: Path) -> None:
    """A library or a place is no card, whatever it is reached through; a link to a file at home is no copy of it."""
    (tmp_path / "through a link").symlink_to(home.root)
    for root in (home.root, f"{home.root}/2026", tarn.root, str(tmp_path / "through a link")):
        with pytest.raises(SourceRefused):
            release(known_source(root), home, ledger, [tarn], stop=never())
    name = sorted(names_below(home.root))[0]
    os.link(Path(home.root, name), card / "LINK.JPG")
    certificate = certify(card, home, ledger, tarn)
    assert [one.path[-8:] for one in certificate.missing] == ["LINK.JPG"]
    around = certify(tmp_path, home, ledger, tarn)
    assert not [one.path for one in around.files if one.path.startswith((home.root, tarn.root))]
    moved = Path(home.root, name)
    moved.unlink()
    os.link(card / "DCIM" / "DSC000.JPG", moved)
    assert clear(certificate, home, ledger, [tarn], Way.REMOVE, stop=never()).gone == 4
    assert (card / "DCIM" / "DSC000.JPG").exists()


def test_by_the_trash_files_can_be_had_back(
    home: Library, ledger: Ledger, card: Path, tarn: Place, tmp_path: Path
) -> None:
    """Where the medium has one."""
    cleared = clear(certify(card, home, ledger, tarn), home, ledger, [tarn], Way.TRASH, stop=never())
    assert (cleared.gone, cleared.stayed) == (5, [])
    assert len(list((tmp_path / "xdg" / "Trash" / "files").iterdir())) == 5


def test_a_file_that_nobody_proved_is_proven_by_the_release(library: Library, ledger: Ledger, card: Path) -> None:
    """What somebody copied by hand is read back before it counts."""
    put(card / "A.JPG", making.jpeg())
    put(Path(library.root, "by hand.jpg"), making.jpeg())
    assert certify(card, library, ledger).safe
    assert ledger.proofs("").keys() == {"by hand.jpg"}


def test_what_rots_is_found_told_and_mended_from_another_place(
    home: Library, ledger: Ledger, card: Path, tarn: Place
) -> None:
    """The good copy comes back proven; the bad one is put aside; edited and gone files are told apart."""
    names = sorted(names_below(home.root))
    good = Path(home.root, names[0]).read_bytes()
    rot(Path(home.root, names[0]))
    Path(home.root, names[1]).unlink()
    put(Path(home.root, names[2]), b"edited")
    survey_before = ledger.proofs("")
    survey(home, ledger)
    checked = check(home, ledger, as_place(home), stop=never())
    assert {one.mark.path: one.finding for one in checked.found} == {
        names[0]: Finding.ROTTED, names[1]: Finding.GONE, names[2]: Finding.CHANGED,
    }  # fmt: skip
    assert checked.good == 2
    outcome = mend([one.mark for one in checked.bad], home, ledger, as_place(home), [tarn], stop=never())
    assert outcome.home == 2
    assert Path(home.root, names[0]).read_bytes() == good
    assert Path(home.root, names[2]).read_bytes() == b"edited"
    assert len([path for path in Path(home.own, "rotted").rglob("*") if path.is_file()]) == 1
    assert ledger.proofs("")[names[0]].full == survey_before[names[0]].full
    assert check(home, ledger, as_place(home), stop=never()).bad == []


def test_somebodys_new_version_is_told_once_and_proven_as_what_it_is(home: Library, ledger: Ledger) -> None:
    """In the library it is no damage."""
    name = sorted(names_below(home.root))[0]
    Path(home.root, name).write_bytes(b"another version")
    survey(home, ledger)
    (found,) = check(home, ledger, as_place(home), stop=never()).found
    assert (found.finding, found.mark.path) == (Finding.CHANGED, name)
    mark = ledger.marks("")[name]
    assert (mark.stands, mark.size) == (True, len(b"another version"))
    assert check(home, ledger, as_place(home), stop=never()).found == []


def test_what_is_gone_is_missed_until_it_is_let_go_and_what_was_moved_is_not(home: Library, ledger: Ledger) -> None:
    """A survey in between makes nobody forget it; a file that somebody moved lies elsewhere, and is no loss."""
    moved, gone = sorted(names_below(home.root))[:2]
    os.rename(Path(home.root, moved), Path(home.root, "moved by hand.jpg"))
    Path(home.root, gone).unlink()
    survey(home, ledger)
    checked = check(home, ledger, as_place(home), stop=never())
    assert [(one.mark.path, one.finding) for one in checked.found] == [(gone, Finding.GONE)]
    assert (checked.first, checked.good) == (0, 4)
    survey(home, ledger)
    (again,) = check(home, ledger, as_place(home), stop=never()).found
    assert (again.mark.path, again.finding) == (gone, Finding.GONE)
    assert let_go(home, ledger, as_place(home), [gone, moved]) == 1
    assert check(home, ledger, as_place(home), stop=never()).found == []


def test_a_drive_that_vanishes_under_a_check_is_not_taken_for_lost_files(
    ledger: Ledger, card: Path, library: Library, small_place: Path
) -> None:
    """Its empty mount point holds nothing; what was proven there is not forgotten."""
    put(card / "A.JPG", making.jpeg())
    put(card / "B.JPG", making.jpeg(seed=2))
    place = add_place(library, str(small_place))
    bring(planned(library, ledger, [card]), library, ledger, stop=never(), places=[place])

    def unplug(_done: int, _all: int) -> None:
        if small_place.is_mount():
            subprocess.run(["umount", "--lazy", small_place], check=True)

    try:
        with pytest.raises(PlaceLost):
            check(library, ledger, place, stop=never(), report=unplug)
        assert len(ledger.proofs(place.id)) == 2
    finally:
        subprocess.run(["mount", "-t", "tmpfs", "none", small_place], check=True)


def test_good_bytes_are_taken_from_whichever_place_has_them(
    home: Library, ledger: Ledger, tarn: Place, tmp_path: Path
) -> None:
    """A place that lost the file too does not hide the one that has it."""
    (tmp_path / "Ridge").mkdir()
    ridge = add_place(home, str(tmp_path / "Ridge"))
    survey(home, ledger)
    catch_up(lacking(home, ledger, ridge), home, ledger, stop=never())
    name = sorted(names_below(home.root))[0]
    rot(Path(home.root, name))
    Path(tarn.root, name).unlink()
    (found,) = check(home, ledger, as_place(home), stop=never()).bad
    assert mend([found.mark], home, ledger, as_place(home), [tarn, ridge], stop=never()).home == 1
    assert Path(home.root, name).read_bytes() == Path(ridge.root, name).read_bytes()


def test_bad_bytes_are_never_mended_with_bad_bytes(home: Library, ledger: Ledger, tarn: Place) -> None:
    """Where the other place rotted too, the file stays as it is, and is told."""
    name = sorted(names_below(home.root))[0]
    for root in (home.root, tarn.root):
        rot(Path(root, name))
    bad = Path(home.root, name).read_bytes()
    (found,) = check(home, ledger, as_place(home), stop=never()).bad
    outcome = mend([found.mark], home, ledger, as_place(home), [tarn], stop=never())
    assert "reads differently than when it was proven" in outcome.failed[0].why
    assert Path(home.root, name).read_bytes() == bad


def test_a_new_ledger_knows_what_a_check_found(home: Library, ledger: Ledger) -> None:
    """From the journal: what was proven for the first time, what somebody changed, and what was found well again."""
    name, other = sorted(names_below(home.root))[:2]
    put(Path(home.root, "new.jpg"), making.jpeg(seed=77))
    rot(Path(home.root, name))
    put(Path(home.root, other), making.jpeg(seed=78))
    survey(home, ledger)
    check(home, ledger, as_place(home), stop=never())
    rot(Path(home.root, name))
    check(home, ledger, as_place(home), stop=never())
    with Ledger(f"{home.ledger_path}.new") as again:
        recover(home, again)
        survey(home, again)
        known = {path: (mark.size, mark.full, mark.state) for path, mark in again.marks("").items()}
    assert {known[path][2] for path in (name, other, "new.jpg")} == {State.PROVEN}
    assert known == {path: (mark.size, mark.full, mark.state) for path, mark in ledger.marks("").items()}


def test_a_check_goes_on_where_the_last_one_ended(home: Library, ledger: Ledger) -> None:
    """The oldest proof comes first; what was read keeps its new date."""
    assert check(home, ledger, as_place(home), stop=never(), seconds=0).left == 5
    stop = threading.Event()
    with pytest.raises(Stopped):
        check(home, ledger, as_place(home), stop=stop, report=lambda done, _: stop.set() if done else None)
    assert run_log_of(home, runs(home)[-1]).end["how"] == "stopped"
    old = {path: mark._replace(at="2020-01-01T00:00:00+00:00") for path, mark in ledger.proofs("").items()}
    ledger.put_proofs(list(old.values())[:2])
    assert [mark.at[:4] for mark in ledger.proofs("").values()][:2] == ["2020"] * 2
    told: list[tuple[int, int]] = []
    check(home, ledger, as_place(home), stop=never(), report=lambda done, total: told.append((done, total)))
    size = sum(mark.size for mark in ledger.proofs("").values())
    assert ([done for done, _ in told], {total for _, total in told}) == (sorted(done for done, _ in told), {size})
    assert told[-1] == (size, size)
    assert "2020" not in {mark.at[:4] for mark in ledger.proofs("").values()}
    assert check(home, ledger, as_place(home), stop=never(), seconds=3600).left == 0
