"""Setting aside: nothing leaves but beside its keeper; the tray, the trash, and taking back."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable
from contextlib import suppress
from datetime import timedelta
from pathlib import Path

import pytest

from jutrek.demo.copies import worded
from jutrek.desk.places import Places
from jutrek.desk.taking_back import take_back
from jutrek.disk import Inside, Tree
from jutrek.doubles.degrees import Degree
from jutrek.errors import NotPossible, Stopped
from jutrek.formats import read
from jutrek.library import Library, Place, add_place, survey
from jutrek.library.ledger import Ledger
from jutrek.transfer import Listener, Outcome, recover, setting_aside
from jutrek.transfer.at_work import at_work_in
from jutrek.transfer.catching_up import catch_up, lacking
from jutrek.transfer.journal import Kind
from jutrek.transfer.setting_aside import Drop, set_aside
from jutrek.transfer.trash import found
from jutrek.transfer.tray import empty_tray, tray_of
from tests import making
from tests.making import WHEN, names_below, never, put, xmp
from tests.transfer.doubled import drop

LARGE = os.urandom(1_500_000)
Step = Callable[[], None]


def go(
    library: Library, ledger: Ledger, *drops: Drop, listener: Listener | None = None, places: tuple[Place, ...] = ()
) -> Outcome:
    """Set files aside."""
    return set_aside(drops, library, ledger, stop=never(), listener=listener, places=places)


def back(library: Library, ledger: Ledger, run: str, *here: Place) -> tuple[Outcome, list[str]]:
    """Take a run back."""
    return take_back(library, ledger, run, Places(here), stop=never(), listener=Listener())


def tops(library: Library) -> dict[str, tuple[bytes, int]]:
    """Bytes and times of everything in a library but its own folder."""
    root = Path(library.root)
    return {name: ((root / name).read_bytes(), (root / name).stat().st_mtime_ns) for name in names_below(library.root)}


@pytest.fixture
def home(library: Library, ledger: Ledger) -> Library:
    """A library with one file in three copies, and another one of their size."""
    root = Path(library.root)
    for number, name in enumerate(("2026/05/a.jpg", "mess/a (1).jpg", "mess/deep/er/a (2).jpg")):
        put(root / name, LARGE, WHEN - timedelta(days=number))
    put(root / "mess/other.jpg", LARGE[:-1] + bytes((LARGE[-1] ^ 1,)))
    survey(library, ledger)
    return library


def test_copies_go_to_the_tray_and_come_back_as_they_were(home: Library, ledger: Ledger) -> None:
    """Names, times and bytes; folders that were emptied are made again; the ledger follows both ways."""
    before = tops(home)
    keeper = "2026/05/a.jpg"
    outcome = go(home, ledger, drop(home, "mess/a (1).jpg", keeper), drop(home, "mess/deep/er/a (2).jpg", keeper))
    assert (outcome.home, outcome.failed, outcome.trouble) == (2, [], None)
    assert names_below(home.root) == {keeper, "mess/other.jpg"} == set(ledger.all_files())
    assert not Path(home.root, "mess/deep").exists()
    tray = tray_of(home)
    assert [(one.was, one.keeper, one.degree, one.size) for one in tray] == [
        ("mess/a (1).jpg", keeper, "bytes", len(LARGE)), ("mess/deep/er/a (2).jpg", keeper, "bytes", len(LARGE)),
    ]  # fmt: skip
    assert Path(home.root, tray[0].path).read_bytes() == LARGE
    taken, left = back(home, ledger, outcome.run)
    assert (taken.home, left) == (2, [])
    assert tops(home) == before
    assert tray_of(home) == []
    survey(home, ledger)
    assert set(ledger.all_files()) == set(before)


def test_bytes_are_compared_before_anything_leaves(home: Library, ledger: Ledger) -> None:
    """A difference in the last byte keeps a file where it is, whatever fingerprints said."""
    before = tops(home)
    outcome = go(home, ledger, drop(home, "mess/other.jpg", "2026/05/a.jpg"))
    assert [done.why for done in outcome.failed] == [
        f"{home.root}/mess/other.jpg was not moved: its bytes are not those of 2026/05/a.jpg."
    ]
    assert tops(home) == before


def _gone(home: Library) -> None:
    Path(home.root, "2026/05/a.jpg").unlink()


def _changed(home: Library) -> None:
    Path(home.root, "2026/05/a.jpg").write_bytes(LARGE + b"edited")


def _edited_in_place(home: Library) -> None:
    path = Path(home.root, "2026/05/a.jpg")
    path.write_bytes(b"edited" + LARGE[6:])
    os.utime(path, ns=(0, int(WHEN.timestamp() * 1e9) + 1))


def _linked(home: Library) -> None:
    Path(home.root, "mess/a (1).jpg").unlink()
    os.link(Path(home.root, "2026/05/a.jpg"), Path(home.root, "mess/a (1).jpg"))


@pytest.mark.parametrize(
    ("happens", "words"),
    [
        (_gone, "which was to stay, is gone"), (_changed, "changed since"), (_edited_in_place, "changed since"),
        (_linked, "the same file by another name"),
    ],
)  # fmt: skip
@pytest.mark.parametrize("degree", [Degree.BYTES, Degree.PICTURE])
def test_a_keeper_that_is_not_what_it_was_stops_the_dropping(
    home: Library, ledger: Ledger, happens: Callable[[Library], None], words: str, degree: Degree
) -> None:
    """Whether bytes said that the two are the same or a person did; other files go on."""
    wanted = [drop(home, "mess/a (1).jpg", "2026/05/a.jpg", degree)]
    wanted.append(drop(home, "mess/deep/er/a (2).jpg", "mess/a (1).jpg"))
    happens(home)
    if happens is _linked:
        wanted = [drop(home, "mess/a (1).jpg", "2026/05/a.jpg", degree), wanted[1]]
        wanted[1] = drop(home, "mess/deep/er/a (2).jpg", "mess/a (1).jpg")
    outcome = go(home, ledger, *wanted)
    assert words in outcome.failed[0].why
    assert Path(home.root, "mess/a (1).jpg").exists()
    assert outcome.home == 1


def test_a_keeper_that_vanishes_while_others_go_stops_the_rest(home: Library, ledger: Ledger) -> None:
    """It is looked at right before each file moves; one that was set aside itself keeps nothing."""
    keeper = "2026/05/a.jpg"

    def on(step: str, row: object) -> None:
        if step == "renamed" and Path(home.root, keeper).exists():
            Path(home.root, keeper).unlink()

    outcome = go(
        home, ledger, drop(home, "mess/a (1).jpg", keeper), drop(home, "mess/deep/er/a (2).jpg", keeper),
        listener=Listener(step=on),
    )  # fmt: skip
    assert (outcome.home, len(outcome.failed)) == (1, 1)
    back(home, ledger, outcome.run)
    chain = [drop(home, "mess/a (1).jpg", "mess/deep/er/a (2).jpg")]
    chain.append(drop(home, "mess/deep/er/a (2).jpg", "mess/a (1).jpg"))
    outcome = go(home, ledger, *chain)
    assert (outcome.home, len(outcome.failed)) == (1, 1)
    with pytest.raises(NotPossible):
        go(home, ledger, drop(home, "mess/other.jpg", "mess/other.jpg"))


def test_a_stop_while_comparing_ends_the_run(home: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch) -> None:
    """What had gone is in the tray, what had not stays, and all of it can be taken back."""
    stop = threading.Event()
    compared = setting_aside.same_bytes

    def stopping(tree: Tree, one: Inside, other: Inside, event: threading.Event, others: Tree) -> bool:
        if "(2)" in str(one):
            stop.set()
        return compared(tree, one, other, event, others)

    monkeypatch.setattr(setting_aside, "same_bytes", stopping)
    keeper = "2026/05/a.jpg"
    drops = [drop(home, "mess/a (1).jpg", keeper), drop(home, "mess/deep/er/a (2).jpg", keeper)]
    outcome = set_aside(drops, home, ledger, stop=stop)
    assert isinstance(outcome.trouble, Stopped)
    assert names_below(home.root) == {keeper, "mess/deep/er/a (2).jpg", "mess/other.jpg"}
    assert back(home, ledger, outcome.run)[0].home == 1


def test_sidecars_go_with_what_is_theirs_alone(library: Library, ledger: Ledger) -> None:
    """And stay where another file of their name stays, or where their own file stays."""
    root = Path(library.root)
    for name in ("a/1.jpg", "b/1.jpg", "b/1.dng", "c/1.jpg", "d/1.jpg"):
        put(root / name, LARGE if name != "d/1.jpg" else LARGE[::-1])
    for name in ("b/1.xmp", "b/1.jpg.xmp", "c/1.XMP", "d/1.xmp"):
        put(root / name, xmp())
    outcome = go(library, ledger, *(drop(library, f"{name}/1.jpg", "a/1.jpg") for name in "bcd"))
    assert names_below(library.root) == {"a/1.jpg", "b/1.dng", "b/1.xmp", "d/1.jpg", "d/1.xmp"}
    assert sorted(os.path.basename(done.row.source) for done in outcome.failed) == ["1.jpg", "1.xmp"]
    tray = {one.was: [os.path.basename(path) for path in one.sidecars] for one in tray_of(library)}
    assert tray == {"b/1.jpg": ["1.jpg.xmp"], "c/1.jpg": ["1.XMP"]}
    emptied = empty_tray(tray_of(library), library, stop=never())
    assert (emptied.files, tray_of(library)) == (2, [])
    assert back(library, ledger, emptied.run)[0].home == 4


def test_a_sidecar_of_two_files_goes_when_both_went(library: Library, ledger: Ledger) -> None:
    """Once; and it stays with the one that stays."""
    root = Path(library.root)
    for name in ("keep/1.jpg", "keep/1.dng", "mess/1.jpg", "mess/1.dng"):
        put(root / name, LARGE if name.endswith("jpg") else LARGE[::-1])
    put(root / "mess/1.xmp", xmp())
    pair = [drop(library, f"mess/1.{end}", f"keep/1.{end}") for end in ("jpg", "dng")]
    outcome = go(library, ledger, *pair)
    assert (outcome.home, outcome.failed) == (3, [])
    back(library, ledger, outcome.run)
    put(root / "keep/1.dng", b"edited")
    outcome = go(library, ledger, *pair)
    assert outcome.home == 1
    assert {"mess/1.dng", "mess/1.xmp"} < names_below(library.root)


def keeper_of(library: Library, *, sidecar: bytes = b"") -> Path:
    """A keeper without words, a double of it with words, and perhaps a sidecar beside the keeper."""
    root, plain = Path(library.root), making.jpeg(seed=4, offset="")
    put(root / "2026/a.jpg", plain)
    put(root / "mess/a.jpg", worded(making.jpeg(seed=4), ["bridge", "survey"], "Velmora Line Trust"))
    if sidecar:
        put(root / "2026/a.xmp", sidecar)
    return root / "2026/a.xmp"


def test_words_rights_and_a_better_date_go_over_to_the_keeper(library: Library, ledger: Ledger) -> None:
    """Into a new sidecar, which is put away when the run is taken back."""
    written, before = keeper_of(library), tops(library)
    outcome = go(library, ledger, drop(library, "mess/a.jpg", "2026/a.jpg", Degree.PAYLOAD, carries=True))
    assert outcome.remarks == []
    said = read(str(written))
    assert said.wording is not None
    assert (said.wording.keywords, said.wording.rights) == (("bridge", "survey"), "Velmora Line Trust")
    assert said.claims[0].stamp.iso() == "2026-05-14T10:26:13.42"
    assert str(said.claims[0].stamp.offset) == "+02:00"
    back(library, ledger, outcome.run)
    assert tops(library) == before


def test_a_sidecar_keeps_what_it_said_and_comes_back_as_it_was(library: Library, ledger: Ledger) -> None:
    """What it says already is not said again, nor changed; one that cannot be read stays, and that is told."""
    old = xmp().replace(b"/></rdf", b"><d:subject xmlns:d='http://purl.org/dc/elements/1.1/'><rdf:Bag><rdf:li>Bridge"
                        b"</rdf:li></rdf:Bag></d:subject></rdf:Description></rdf")  # fmt: skip
    written = keeper_of(library, sidecar=old)
    before = tops(library)
    outcome = go(library, ledger, drop(library, "mess/a.jpg", "2026/a.jpg", Degree.PAYLOAD, carries=True))
    said = read(str(written)).wording
    assert said is not None
    assert (said.keywords, said.rights) == (("Bridge", "survey"), "Velmora Line Trust")
    taken, left = back(library, ledger, outcome.run)
    assert (taken.failed, left) == ([], [])
    assert tops(library) == before
    written.write_bytes(b"<x:xmpmeta")
    outcome = go(library, ledger, drop(library, "mess/a.jpg", "2026/a.jpg", Degree.PAYLOAD, carries=True))
    assert outcome.home == 1
    assert outcome.remarks[0].startswith("What was said of it was not carried over to 2026/a.jpg: ")
    assert written.read_bytes() == b"<x:xmpmeta"


@pytest.mark.parametrize("at", ["before it is written", "behind it"])
def test_a_kill_around_a_new_sidecar_leaves_the_old_one_or_both(
    library: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch, at: str
) -> None:
    """The next start puts the old one back where the new one is missing; else the run can be taken back as a whole."""
    written = keeper_of(library, sidecar=xmp())
    before = tops(library)
    if at == "behind it":
        monkeypatch.setattr("jutrek.transfer.journal.Journal.sidecar", _interrupted)
    else:
        monkeypatch.setattr(Tree, "write_new", _interrupted)
    with suppress(KeyboardInterrupt):
        go(library, ledger, drop(library, "mess/a.jpg", "2026/a.jpg", Degree.PAYLOAD, carries=True))
    (leftover,) = recover(library, ledger)
    assert (leftover.kind, leftover.home, leftover.did) == (Kind.SET_ASIDE, 1, "moved")
    assert (written.read_bytes() == xmp()) is (at != "behind it")
    assert back(library, ledger, leftover.run)[1] == []
    assert tops(library) == before


def _interrupted(*_: object, **__: object) -> None:
    raise KeyboardInterrupt


@pytest.mark.parametrize("step", ["begin", "renamed", "written down"])
def test_a_kill_at_any_step_leaves_every_file_whole(home: Library, ledger: Ledger, step: str) -> None:
    """In its place or in the tray; the next start tells which, and all of it can be taken back."""
    before, keeper, seen = tops(home), "2026/05/a.jpg", list[str]()

    def on(name: str, row: object) -> None:
        seen.append(name)
        if seen.count(step) == 2:
            raise KeyboardInterrupt

    with suppress(KeyboardInterrupt):
        go(
            home, ledger, drop(home, "mess/a (1).jpg", keeper), drop(home, "mess/deep/er/a (2).jpg", keeper),
            listener=Listener(step=on),
        )  # fmt: skip
    (leftover,) = recover(home, ledger)
    assert leftover.home == len(tray_of(home)) == {"begin": 1, "renamed": 2, "written down": 2}[step]
    back(home, ledger, leftover.run)
    assert tops(home) == before


def test_the_tray_goes_to_the_trash_and_comes_back_from_it(home: Library, ledger: Ledger) -> None:
    """Emptying is a run that can be taken back as long as the trash keeps its files; what changed stays in the tray."""
    before, keeper = tops(home), "2026/05/a.jpg"
    aside = go(home, ledger, drop(home, "mess/a (1).jpg", keeper), drop(home, "mess/deep/er/a (2).jpg", keeper))
    tray = tray_of(home)
    Path(home.root, tray[1].path).write_bytes(b"changed")
    seen: list[tuple[int, int]] = []
    emptied = empty_tray(tray, home, stop=never(), report=lambda done, total: seen.append((done, total)))
    assert (emptied.files, emptied.size, list(emptied.left)) == (1, len(LARGE), [tray[1].path])
    assert seen == [(0, 2), (1, 2)]
    trashed = found([os.path.join(home.root, tray[0].path)])
    assert [Path(one.path).read_bytes() for one in trashed.values()] == [LARGE]
    assert [one.path for one in tray_of(home)] == [tray[1].path]
    taken, left = back(home, ledger, emptied.run)
    assert (taken.home, left) == (1, [])
    assert not any(os.path.exists(one.note) for one in trashed.values())
    assert len(tray_of(home)) == 2
    Path(home.root, tray[1].path).write_bytes(LARGE)
    os.utime(Path(home.root, tray[1].path), ns=(tray[1].mtime_ns, tray[1].mtime_ns))
    assert back(home, ledger, aside.run)[0].home == 2
    assert tops(home) == before


@pytest.mark.parametrize("size", [0, 1])
def test_what_changed_in_the_tray_in_any_way_stays_there(home: Library, ledger: Ledger, size: int) -> None:
    """Its time alone, or its size with the time put back; what lies beside another one goes to the trash with it."""
    keeper = "2026/05/a.jpg"
    put(Path(home.root, "mess/a (1).jpg.xmp"), b"words")
    go(home, ledger, drop(home, "mess/a (1).jpg", keeper), drop(home, "mess/deep/er/a (2).jpg", keeper))
    with_words, changed = sorted(tray_of(home), key=lambda one: one.was)
    path = Path(home.root, changed.path)
    path.write_bytes(LARGE + bytes(size))
    os.utime(path, ns=(0, changed.mtime_ns + (not size)))
    emptied = empty_tray([with_words, changed], home, stop=never())
    assert list(emptied.left) == [changed.path]
    assert [os.path.basename(one) for one in with_words.paths] == ["a (1).jpg", "a (1).jpg.xmp"]
    assert not any(Path(home.root, one).exists() for one in with_words.paths)
    assert len(found(os.path.join(home.root, one) for one in with_words.paths)) == 2
    assert back(home, ledger, emptied.run)[0].home == 2
    assert all(Path(home.root, one).exists() for one in with_words.paths)


def test_what_the_trash_lost_is_told(home: Library, ledger: Ledger) -> None:
    """Somebody emptied it: nothing comes back, and it says so. An emptying that was stopped leaves the rest."""
    keeper = "2026/05/a.jpg"
    go(home, ledger, drop(home, "mess/a (1).jpg", keeper), drop(home, "mess/deep/er/a (2).jpg", keeper))
    stop = threading.Event()
    emptied = empty_tray(tray_of(home), home, stop=stop, report=lambda done, _: stop.set() if done else None)
    assert (emptied.files, isinstance(emptied.trouble, Stopped), len(tray_of(home))) == (1, True, 1)
    for trashed in found([os.path.join(home.root, one) for one in _sent(home, emptied.run)]).values():
        os.unlink(trashed.path)
    taken, left = back(home, ledger, emptied.run)
    assert taken.home == 0
    assert len(left) == 1
    assert left[0].endswith(" is gone.")
    assert empty_tray([], home, stop=never()).run == ""


def _sent(home: Library, run: str) -> list[str]:
    from jutrek.transfer.run_log import run_log_of

    return [str(one["path"]) for one in run_log_of(home, run).others if one["entry"] == "to trash"]


def test_a_trash_that_refuses_leaves_the_tray_as_it_is(
    home: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Its sentence stands beside the file."""

    def refused(tree: Tree, path: Inside) -> None:
        raise PermissionError(13, "Permission denied")

    monkeypatch.setattr("jutrek.transfer.tray.send", refused)
    go(home, ledger, drop(home, "mess/a (1).jpg", "2026/05/a.jpg"))
    emptied = empty_tray(tray_of(home), home, stop=never())
    assert emptied.files == 0
    assert "ermission denied" in next(iter(emptied.left.values()))
    assert len(tray_of(home)) == 1


def test_copies_in_places_follow_into_the_tray_and_out_of_it(home: Library, ledger: Ledger, tmp_path: Path) -> None:
    """There and back; and when the tray is emptied, what followed goes to the trash there."""
    (tmp_path / "Tarn").mkdir()
    tarn = add_place(home, str(tmp_path / "Tarn"))
    catch_up(lacking(home, ledger, tarn), home, ledger, stop=never())
    copied = names_below(tarn.root)
    aside = go(home, ledger, drop(home, "mess/a (1).jpg", "2026/05/a.jpg"), places=(tarn,))
    (item,) = tray_of(home)
    assert Path(tarn.root, item.path).read_bytes() == LARGE
    assert at_work_in(tarn.tree) == []
    assert "mess/a (1).jpg" not in names_below(tarn.root)
    back(home, ledger, aside.run, tarn)
    assert names_below(tarn.root) == copied
    os.utime(Path(tarn.root, "mess/deep/er/a (2).jpg"), ns=(0, 1))
    aside = go(home, ledger, drop(home, "mess/deep/er/a (2).jpg", "2026/05/a.jpg"), places=(tarn,))
    assert names_below(tarn.root) == copied
    back(home, ledger, aside.run, tarn)
    go(home, ledger, drop(home, "mess/a (1).jpg", "2026/05/a.jpg"), places=(tarn,))
    (item,) = tray_of(home)
    empty_tray([item], home, places=(tarn,), stop=never())
    assert not Path(tarn.root, item.path).exists()
