"""What counts as proof, and what does not any more: rot, copies of copies, links, what was not looked at."""

from __future__ import annotations

import os
import random
import shutil
import signal
import subprocess
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from bench.torture.round import Child

from jutrek.desk.places import Places
from jutrek.desk.records import every_mark, files_of
from jutrek.desk.taking_back import take_back
from jutrek.desk.unwanting import declare_unwanted
from jutrek.disk import TEMPORARY, naming
from jutrek.doubles import Standing, compare
from jutrek.doubles.degrees import Degree
from jutrek.errors import NotPossible
from jutrek.library import (
    Library,
    Place,
    ProofMark,
    State,
    add_place,
    as_place,
    new_library,
    notice_roots,
    open_library,
    survey,
)
from jutrek.library.ledger import Ledger
from jutrek.library.unwanted import declared, want_again
from jutrek.sources import known_source, scan
from jutrek.sources.scan import SourceFile
from jutrek.transfer import Listener, bring, recover
from jutrek.transfer.catching_up import catch_up, lacking
from jutrek.transfer.checking import Finding, check, known_bad, let_go, mend
from jutrek.transfer.clearing import Way, clear
from jutrek.transfer.release import declared_anew, release
from jutrek.transfer.run_log import run_log_of, runs
from jutrek.transfer.setting_aside import set_aside
from tests import making
from tests.making import everything, names_below, never, planned, put
from tests.transfer.doubled import drop
from tests.transfer.test_bring import fill
from tests.transfer.test_release import certify, home, rot  # noqa: F401

OLD = "2020-01-01T00:00:00+00:00"


def killed_at(step: str, act: Callable[[Listener], None]) -> None:
    """Do something in another process, which is killed when it comes to a step."""

    def on(at: str, _: object) -> None:
        if at == step:
            os.kill(os.getpid(), signal.SIGKILL)

    assert Child(lambda: str(act(Listener(step=on)))).result() == "died"


def first(library: Library) -> str:
    return sorted(names_below(library.root))[0]


def test_what_is_known_to_be_rotten_is_no_proof_anywhere(
    home: Library, ledger: Ledger, card: Path, tarn: Place  # noqa: F811
) -> None:  # fmt: skip
    """Not for a release, a clearing, the journal, the board, doubles or a place that lacks it; until it is mended."""
    name = first(home)
    before, intake = certify(card, home, ledger, tarn), runs(home)[-1]
    assert before.safe
    rot(Path(home.root, name))
    (found,) = check(home, ledger, as_place(home), stop=never()).found
    assert found.finding is Finding.ROTTED
    # Known from now on, by the ledger and by a ledger that is made anew.
    assert ledger.marks("")[name].state is State.ROTTED
    assert name not in ledger.proofs("")
    with Ledger(f"{home.ledger_path}.new") as other:
        recover(home, other)
        assert other.marks("")[name].state is State.ROTTED
    assert clear(before, home, ledger, [tarn], Way.REMOVE, stop=never()).gone == len(before.home) - 1
    put(card / "DCIM" / "again.JPG", Path(tarn.root, name).read_bytes())
    certificate = certify(card, home, ledger, tarn)
    assert not certificate.safe
    assert "Not found in library." in certificate.missing[0].why
    said = {one.path: one.what for one in files_of(home, intake, every_mark(home, ledger))}
    assert said[name] == "proven in 1 backup, rotted since"
    # It is not taken for home by the next intake, nor copied on, nor the one that stays among doubles.
    (again,) = [one for one in scan(str(card)) if isinstance(one, SourceFile) and one.path.endswith("again.JPG")]
    assert compare([again], ledger, home.root)[again.path].standing is Standing.NEW
    Path(tarn.root, name).unlink()
    survey(home, ledger)
    lack = lacking(home, ledger, tarn)
    assert (lack.rows, lack.damaged, lack.files) == ((), (name,), 1)
    assert catch_up(lack, home, ledger, stop=never()).why.endswith("damaged in the library were not copied to Tarn: 1.")
    shutil.copy2(Path(home.root, name), Path(home.root, "double.jpg"))
    survey(home, ledger)
    double = drop(home, "double.jpg", name, Degree.PICTURE)
    assert "known to be damaged (rotted)" in set_aside([double], home, ledger, stop=never()).failed[0].why


def test_a_release_finds_rot_that_nobody_knew_of(
    home: Library, ledger: Ledger, card: Path, tarn: Place  # noqa: F811
) -> None:  # fmt: skip
    """What was read on another day is read again; the figure is told before; what rotted is known and written down."""
    name, told = first(home), list[tuple[int, int]]()
    ledger.put_proofs([mark._replace(at=OLD) for mark in ledger.proofs("").values()])
    stamp, data = Path(home.root, name).stat(), bytearray(Path(home.root, name).read_bytes())
    data[0] ^= 1
    Path(home.root, name).write_bytes(data)
    os.utime(Path(home.root, name), ns=(stamp.st_atime_ns, stamp.st_mtime_ns))
    survey(home, ledger)
    certificate = release(
        known_source(str(card)), home, ledger, [tarn], stop=never(), begin=lambda *sizes: told.append(sizes)
    )
    size = sum(one.size for one in certificate.files)
    assert told == [(size, size)]
    assert [one.paths.get("") for one in certificate.missing] == [None]
    assert ledger.marks("")[name].state is State.ROTTED
    log = run_log_of(home, runs(home)[-1])
    assert (log.others[0]["entry"], log.end["how"], log.end["left"]) == ("rotted", "done", 1)
    assert {where.at[:4] for one in certificate.home for where in one.where} != {"2020"}


def test_a_house_rule_lets_older_readings_count_and_the_certificate_says_so_first(
    home: Library, ledger: Ledger, card: Path, tarn: Place  # noqa: F811
) -> None:  # fmt: skip
    """Within its days nothing is read again; a file that somebody touched is, whatever its time says."""
    ledger.put_proofs([mark._replace(at=OLD) for place in ("", tarn.id) for mark in ledger.proofs(place).values()])
    survey(home, ledger)
    certificate = release(known_source(str(card)), home, ledger, [tarn], days=100_000, stop=never())
    assert certificate.safe
    assert certificate.oldest == OLD
    assert "read back up to 100000 days before" in certificate.text().splitlines()[0]
    # One of a day to come is of a clock that was wrong: it is read again.
    ledger.put_proofs([mark._replace(at="2999-01-01T00:00:00+00:00") for mark in ledger.proofs("").values()])
    later = release(known_source(str(card)), home, ledger, [tarn], days=100_000, stop=never())
    assert later.safe and {where.at[:4] for one in later.home for where in one.where if not where.place} != {"2999"}
    # What only was copied to where it lies, or whose library was, was never read back there.
    ledger.put_proofs([mark._replace(state=State.COPIED) for mark in ledger.proofs("").values()])
    told = list[tuple[int, int]]()
    source = known_source(str(card))
    release(source, home, ledger, [tarn], days=100_000, stop=never(), begin=lambda *sizes: told.append(sizes))
    assert told == [(sum(one.size for one in later.files),) * 2]
    rot(Path(home.root, first(home)))
    assert len(release(known_source(str(card)), home, ledger, [tarn], days=100_000, stop=never()).missing) == 1


def test_a_certificate_holds_on_its_day_for_the_very_files_that_were_read(
    home: Library, ledger: Ledger, card: Path, tarn: Place  # noqa: F811
) -> None:  # fmt: skip
    """One of yesterday clears nothing; nor does a copy that was replaced by another file of its size and time."""
    certificate = certify(card, home, ledger, tarn)
    before = everything(card)
    with pytest.raises(NotPossible, match="prove it again"):
        clear(replace(certificate, at=OLD), home, ledger, [tarn], Way.REMOVE, stop=never())
    for name in names_below(home.root):
        path = Path(home.root, name)
        shutil.copy2(path, path.with_suffix(".new"))
        os.replace(path.with_suffix(".new"), path)
    cleared = clear(certificate, home, ledger, [tarn], Way.REMOVE, stop=never())
    assert (cleared.gone, everything(card)) == (0, before)
    assert {why for _, why in cleared.stayed} == {"Its copy changed since it was proven."}


def test_right_before_a_file_goes_its_copies_are_looked_at_again(
    home: Library, ledger: Ledger, card: Path, tarn: Place  # noqa: F811
) -> None:  # fmt: skip
    """Whatever became of them since: known to be rotten, written to, or the file on the card itself."""
    certificate = certify(card, home, ledger, tarn)
    rotten, written, linked, *others = certificate.home
    ledger.put_proofs([ledger.proofs("")[rotten.where[0].path]._replace(state=State.ROTTED)])
    path = Path(home.root, written.where[0].path)
    path.write_bytes(path.read_bytes())
    os.utime(path, ns=(written.where[0].mtime_ns,) * 2)
    path = Path(home.root, linked.where[0].path)
    path.unlink()
    os.link(linked.path, path)
    status = path.stat()
    where = linked.where[0]._replace(mtime_ns=status.st_mtime_ns, inode=status.st_ino, ctime_ns=status.st_ctime_ns)
    told = replace(linked, where=(where, *linked.where[1:]))
    files = tuple(told if one is linked else one for one in certificate.files)
    cleared = clear(replace(certificate, files=files), home, ledger, [tarn], Way.REMOVE, stop=never())
    assert cleared.gone == len(others)
    assert dict(cleared.stayed) == {
        rotten.path: "Its copy is rotted since.",
        written.path: "Its copy changed since it was proven.",
        linked.path: "It is its own copy: the same file under two names.",
    }


HIDDEN = [f"{name}/a.jpg" for name in ("lost+found", "$RECYCLE.BIN", ".Trashes", "System Volume Information",
          ".Spotlight-V100")]  # fmt: skip


@pytest.mark.parametrize("where", [*HIDDEN, "/".join("d" * 70) + "/a.jpg", "empty.jpg", "zeros.jpg", "notes.bin",
                                   "a link"])  # fmt: skip
def test_safe_means_that_everything_is_accounted_for(
    where: str, home: Library, ledger: Ledger, card: Path, tarn: Place  # noqa: F811
) -> None:  # fmt: skip
    """Whatever else is on the card is named, and keeps it from being safe until somebody declares it unwanted."""
    data = {"empty.jpg": b"", "zeros.jpg": bytes(5000), "notes.bin": b"text"}.get(where, making.jpeg(seed=77))
    if where == "a link":
        (card / where).symlink_to("/etc/hostname")
    else:
        put(card / where, data)
    certificate = certify(card, home, ledger, tarn)
    assert not certificate.safe
    assert certificate.open == 1
    assert f"  {where}: " in certificate.text()
    said = declare_unwanted(home, certificate, frozenset({where}))
    assert [one.path for one in declared(home)] == [where]
    assert declared_anew(certificate, home, ()).safe
    unwanted = certify(card, home, ledger, tarn)
    assert "1 more were declared unwanted, and stay" in unwanted.verdict
    clear(unwanted, home, ledger, [tarn], Way.REMOVE, stop=never())
    assert names_below(str(card)) == {where}
    want_again(home, said)
    assert declared(home) == []


def test_a_house_rule_names_what_every_card_has_and_never_a_capture(
    home: Library, ledger: Ledger, card: Path, tarn: Place  # noqa: F811
) -> None:  # fmt: skip
    """An index of the system is no false alarm; a picture under such a name is missed all the same."""
    rules = ("system volume information/indexervolumeguid", "thumbs.db")
    put(card / "System Volume Information" / "IndexerVolumeGuid", b"{1}")
    put(card / "DCIM" / "Thumbs.db", b"small")
    survey(home, ledger)
    source = known_source(str(card))
    assert release(source, home, ledger, [tarn], unwanted=rules, stop=never()).safe
    put(card / "DCIM" / "Thumbs.db", making.jpeg(seed=5))
    certificate = release(source, home, ledger, [tarn], unwanted=rules, stop=never())
    assert [os.path.basename(one.path) for one in certificate.missing] == ["Thumbs.db"]


def test_what_is_gone_stays_gone_until_it_is_back_or_let_go(
    home: Library, ledger: Ledger, tarn: Place  # noqa: F811
) -> None:  # fmt: skip
    """Each check says so; mending brings it back whenever a place has it; letting go can be taken back."""
    name, good = first(home), Path(home.root, first(home)).read_bytes()
    filed = ledger.filed(name)
    Path(home.root, name).unlink()
    for _ in range(2):
        survey(home, ledger)
        assert [one.mark.path for one in check(home, ledger, as_place(home), stop=never()).bad] == [name]
    assert check(home, ledger, as_place(home), stop=never(), seconds=0).bad[0].mark.path == name
    assert let_go(home, ledger, as_place(home), [name]) == 1
    assert check(home, ledger, as_place(home), stop=never()).bad == []
    take_back(home, ledger, runs(home)[-2], _places(tarn), stop=never(), listener=Listener())
    (bad,) = check(home, ledger, as_place(home), stop=never()).bad
    assert mend([bad.mark], home, ledger, as_place(home), [tarn], stop=never()).home == 1
    assert Path(home.root, name).read_bytes() == good
    assert (ledger.marks("")[name].state, ledger.filed(name)) == (State.PROVEN, filed)


def test_a_kill_between_the_bad_file_and_the_good_one_leaves_no_gap(
    home: Library, ledger: Ledger, tarn: Place, monkeypatch: pytest.MonkeyPatch  # noqa: F811
) -> None:  # fmt: skip
    """The bad file gets its name back at the next start, is known to be bad, and is mended then."""
    name, good = first(home), Path(home.root, first(home)).read_bytes()
    rot(Path(home.root, name))
    bad = Path(home.root, name).read_bytes()
    give = naming.name_exclusively

    def killed(before: naming.Entry, after: naming.Entry) -> None:
        if before.name.startswith(TEMPORARY) and after.name == os.path.basename(name):
            os.kill(os.getpid(), signal.SIGKILL)
        give(before, after)

    def mended() -> str:
        monkeypatch.setattr(naming, "name_exclusively", killed)
        with Ledger(home.ledger_path) as own:
            found = check(home, own, as_place(home), stop=never()).bad
            mend([one.mark for one in found], home, own, as_place(home), [tarn], stop=never())
        return "done"

    assert Child(mended).result() == "died"
    assert not Path(home.root, name).exists()
    recover(home, ledger)
    assert Path(home.root, name).read_bytes() == bad
    assert ledger.marks("")[name].state is State.ROTTED
    found = check(home, ledger, as_place(home), stop=never()).bad
    assert mend([one.mark for one in found], home, ledger, as_place(home), [tarn], stop=never()).home == 1
    assert Path(home.root, name).read_bytes() == good


def _places(*places: Place) -> object:
    from jutrek.desk.places import Places

    return Places(places)


def test_a_bad_copy_that_followed_its_file_into_the_tray_is_not_missed(
    home: Library, ledger: Ledger, tarn: Place  # noqa: F811
) -> None:  # fmt: skip
    """It is nobody's copy while it lies there; once its file is taken back it is told again, and mended."""
    name = first(home)
    rot(Path(tarn.root, name))
    check(home, ledger, tarn, stop=never())
    shutil.copy2(Path(home.root, name), Path(home.root, "double.jpg"))
    survey(home, ledger)
    run = set_aside([drop(home, name, "double.jpg")], home, ledger, stop=never(), places=[tarn]).run
    assert [path for path in ledger.marks(tarn.id) if path.startswith(".jutrek/tray/")]
    checked = check(home, ledger, tarn, stop=never())
    assert (checked.bad, known_bad(ledger, tarn.id)) == ([], [])
    take_back(home, ledger, run, Places((tarn,), ()), stop=never(), listener=Listener())
    (bad,) = known_bad(ledger, tarn.id)
    assert bad.path == name
    assert mend([bad], home, ledger, tarn, [as_place(home)], stop=never()).home == 1


def test_mending_puts_a_bad_file_aside_only_once_the_good_one_is_there(
    home: Library, ledger: Ledger, tarn: Place  # noqa: F811
) -> None:  # fmt: skip
    """A kill at any step leaves the bad file or the good one under the name, and the ledger knows which."""
    for step in ("opened", "copied", "read back", "named"):
        name, good = first(home), Path(tarn.root, first(home)).read_bytes()
        rot(Path(home.root, name))
        bad = [one.mark for one in check(home, ledger, as_place(home), stop=never()).bad]

        def mending(listener: Listener, bad: list[ProofMark] = bad) -> None:
            with Ledger(home.ledger_path) as own:
                mend(bad, home, own, as_place(home), [tarn], stop=never(), listener=listener)

        killed_at(step, mending)
        recover(home, ledger)
        assert Path(home.root, name).exists()
        assert (Path(home.root, name).read_bytes() == good) is (step == "named")
        again = [one.mark for one in check(home, ledger, as_place(home), stop=never()).bad]
        mend(again, home, ledger, as_place(home), [tarn], stop=never())
        assert Path(home.root, name).read_bytes() == good
        assert not list(Path(home.root).rglob(".jutrek-*"))


def test_a_copied_library_proves_nothing_until_it_is_read(
    home: Library, ledger: Ledger, card: Path, tarn: Place, tmp_path: Path  # noqa: F811
) -> None:  # fmt: skip
    """The copy bears the first one's identity and shares its ledger; its root tells it apart."""
    shutil.copytree(home.root, tmp_path / "copy", copy_function=shutil.copy2)
    rot(tmp_path / "copy" / first(home))
    copy = open_library(str(tmp_path / "copy"))
    assert copy.id == home.id
    recover(home, ledger)
    recover(copy, ledger)
    assert {mark.state for mark in ledger.marks("").values()} == {State.COPIED}
    assert ledger.proofs("") == {}
    certificate = certify(card, copy, ledger, tarn)
    assert [one.paths.get("") for one in certificate.missing] == [None]
    assert ledger.marks("")[first(home)].state is State.ROTTED
    assert notice_roots(ledger, [as_place(copy), tarn]) == []


@pytest.mark.parametrize("how", ["hard links", "a link to the library's year", "a link to the card"])
def test_two_names_of_one_file_are_one_copy(
    how: str, library: Library, ledger: Ledger, card: Path, tmp_path: Path
) -> None:
    """A place of hard links, or that links into the library or the card, holds no copy of its own."""
    fill(card, 3)
    bring(planned(library, ledger, [card]), library, ledger, stop=never())
    place = tmp_path / "Tarn"
    if how == "hard links":
        subprocess.run(["cp", "-al", library.root, place], check=True)
        shutil.rmtree(place / ".jutrek")
    else:
        place.mkdir()
        (place / "2026").symlink_to(Path(library.root, "2026") if "library" in how else card)
    tarn = add_place(library, str(place))
    survey(library, ledger)
    before = everything(card)
    outcome = catch_up(lacking(library, ledger, tarn), library, ledger, stop=never())
    assert outcome.home == 0
    certificate = certify(card, library, ledger, tarn)
    assert not certificate.safe
    assert {tuple(one.paths) for one in certificate.files} == {("",)}
    assert certificate.same_disk == ("Tarn",)
    assert "Tarn, on the same disk as the library" in certificate.text()
    assert everything(card) == before


def test_a_copy_that_became_the_library_s_own_file_is_none(
    home: Library, ledger: Ledger, card: Path, tarn: Place  # noqa: F811
) -> None:  # fmt: skip
    """Its bytes are as proven, but it is one file with another copy, or with the card's: nothing is safe by it."""
    assert certify(card, home, ledger, tarn).safe
    name = first(home)
    data = Path(home.root, name).read_bytes()
    for other in (Path(home.root, name), next(path for path in card.rglob("*.*") if path.read_bytes() == data)):
        Path(tarn.root, name).unlink()
        os.link(other, Path(tarn.root, name))
        certificate = certify(card, home, ledger, tarn)
        assert certificate.verdict == f"Not safe to clear: Tarn lacks 1 of {len(certificate.files)} files."


def test_a_planned_name_is_home_only_once_its_bytes_were_read(library: Library, ledger: Ledger, card: Path) -> None:
    """A file of the right name and size that the journal never called proven is compared with its source."""
    fill(card, 3)
    plan = planned(library, ledger, [card])

    def bringing(listener: Listener) -> None:
        with Ledger(library.ledger_path) as own:
            bring(plan, library, own, stop=never(), listener=listener)

    killed_at("begin", bringing)
    rows = plan.to_bring()
    good, bad = rows[0], rows[1]
    put(Path(library.root, good.destination or ""), Path(good.source).read_bytes())
    put(Path(library.root, bad.destination or ""), bytes(bad.size))
    (leftover,) = recover(library, ledger)
    assert (leftover.home, leftover.left) == (1, len(rows) - 1)
    assert ledger.proofs("").keys() == {good.destination}


@pytest.mark.long
def test_certificates_are_right_on_random_cards(tmp_path: Path) -> None:
    """Of cards with known truth: none that lacks something is called safe, none that lacks nothing is not."""
    chance, told = random.Random(7), {"safe": 0, "not safe": 0}
    for number in range(40):
        top = tmp_path / str(number)
        (top / "home").mkdir(parents=True)
        (top / "Tarn").mkdir()
        card = top / "Card A"
        fill(card, 3)
        library = new_library(str(top / "home"))
        tarn = add_place(library, str(top / "Tarn"))
        with Ledger(library.ledger_path) as ledger:
            bring(planned(library, ledger, [card]), library, ledger, stop=never(), places=[tarn])
            harm, harmless = chance.choice(HARMS), chance.choice(HARMLESS)
            harmless(library, tarn, card, ledger)
            harm(library, tarn, card, ledger) if number % 2 else None
            certificate = certify(card, library, ledger, tarn)
            told["safe" if certificate.safe else "not safe"] += 1
            assert certificate.safe is truth(card, library, tarn), (number, certificate.text())
    assert min(told.values()) > 12


def truth(card: Path, library: Library, tarn: Place) -> bool:
    """Whether all bytes of a card are in both trees, in files of their own."""

    def files(root: str) -> list[tuple[bytes, os.stat_result]]:
        return [(Path(root, name).read_bytes(), Path(root, name).stat()) for name in names_below(root)]

    homes = files(library.root), files(tarn.root)
    return all(
        any(data == other and not os.path.samestat(status, one) for other, one in there)
        for data, status in files(str(card))
        for there in homes
    )


Harm = Callable[[Library, Place, Path, Ledger], object]


def _any(root: str) -> Path:
    return Path(root, sorted(names_below(root))[0])


def _older(_: Library, tarn: Place, __: Path, ledger: Ledger) -> None:
    ledger.put_proofs([mark._replace(at=OLD) for place in ("", tarn.id) for mark in ledger.proofs(place).values()])


HARMS: tuple[Harm, ...] = (
    lambda library, *_: rot(_any(library.root)),
    lambda _, tarn, *__: rot(_any(tarn.root)),
    lambda library, *_: _any(library.root).unlink(),
    lambda _, tarn, *__: _any(tarn.root).unlink(),
    lambda _, __, card, ___: put(card / "DCIM" / "new.JPG", making.jpeg(seed=99)),
    lambda _, __, card, ___: put(card / "lost+found" / "x", b"rescued"),
    lambda library, _, card, __: (
        _any(library.root).unlink(), os.link(card / "DCIM" / "DSC000.JPG", Path(library.root, "x.jpg"))
    ),
    lambda _, __, card, ___: rot(card / "DCIM" / "DSC001.JPG"),
)  # fmt: skip
HARMLESS: tuple[Harm, ...] = (
    lambda *_: None,
    _older,
    lambda library, *_: _any(library.root).rename(Path(library.root, "renamed.jpg")),
    lambda library, *_: os.utime(_any(library.root)),
    lambda _, tarn, __, ledger: check(_, ledger, tarn, stop=never()),
    lambda library, *_: shutil.copy2(_any(library.root), Path(library.root, "twice.jpg")),
)
