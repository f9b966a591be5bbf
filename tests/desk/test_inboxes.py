"""Inboxes that bring home by themselves, with a simulated phone, real backups, and a real clearing."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path

import platformdirs
import pytest

from jutrek.desk import events, outside_watch
from jutrek.desk.inbox_hints import InboxHints
from jutrek.desk.inbox_watch import Happened, InboxWatcher, watch
from jutrek.desk.inboxes import WatchedFolder, add_inbox, inboxes, remove_inbox
from jutrek.errors import JutrekError, NotPossible, PageBroken
from jutrek.filing import HouseRules, OnArrival
from jutrek.library import Library, add_place, open_library
from jutrek.library.ledger import Ledger
from jutrek.transfer.lock import locked
from tests import making
from tests.cli.calling import jutrek
from tests.desk.talk import Ear, Talk
from tests.making import PATIENCE, WHEN, names_below, never, put

RESTS = 0.15


@pytest.fixture(autouse=True)
def soon(monkeypatch: pytest.MonkeyPatch) -> None:
    """What happens in a folder is told after a tenth of a second."""
    monkeypatch.setattr(outside_watch, "_RESTS", 0.1)


@pytest.fixture
def phone(tmp_path: Path) -> Path:
    """The folder that a phone fills, and the trash of its disk."""
    folder = tmp_path / "Phone"
    folder.mkdir()
    return folder


class Watcher:
    """Watches an inbox in a thread, and remembers what it told."""

    def __init__(self, phone: Path, library: Library, *, by_itself: bool = True) -> None:
        self.phone, self.library = phone, library
        self.told: list[Happened] = []
        self.stop = threading.Event()
        self.watcher = InboxWatcher(
            WatchedFolder(str(phone), library.root, by_itself), self.told.append, self.stop, rests=RESTS
        )  # fmt: skip
        self.thread = threading.Thread(target=self.watcher.run)

    def __enter__(self) -> Watcher:
        self.thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self.stop.set()
        self.watcher.wake()
        self.thread.join(PATIENCE)
        assert not self.thread.is_alive()

    def until(self, holds: Callable[[], bool]) -> None:
        deadline = time.monotonic() + PATIENCE
        while not holds():
            assert time.monotonic() < deadline, self.events
            time.sleep(0.02)

    @property
    def events(self) -> list[str]:
        return [one.event for one in self.told]

    @property
    def home(self) -> set[str]:
        found = names_below(self.library.root)
        return {one for one in found if not one.startswith((".jutrek/", "ascmhl/"))}


def rules(library: Library, text: str) -> None:
    put(Path(library.root, ".jutrek", "house-rules.toml"), f"format = 1\n{text}".encode())


def shot(number: int) -> bytes:
    return making.jpeg(WHEN + timedelta(minutes=number), seed=number)


def test_ten_files_come_home_overnight(library: Library, phone: Path, tmp_path: Path) -> None:
    """A phone that sends piece by piece, under names of its own; proven in the backup, and then gone from the inbox."""
    (tmp_path / "Heron").mkdir()
    place = add_place(library, str(tmp_path / "Heron"))
    rules(library, '[inboxes]\nclear = "for-good"\n')
    with Watcher(phone, library) as watcher:
        for number in range(10):
            data, part = shot(number), phone / f"IMG_{number:02}.jpg.part"
            with part.open("wb") as file:
                for at in range(0, len(data), 400):
                    file.write(data[at : at + 400])
                    file.flush()
            part.rename(phone / f"IMG_{number:02}.jpg")
        watcher.until(lambda: not list(phone.iterdir()))
    assert watcher.watcher._to_clear == set()
    assert len(watcher.home) == 10
    assert len([one for one in names_below(place.root) if one.endswith(".jpg")]) == 10
    assert set(watcher.events) == {"watching", "home", "cleared"}
    assert sum(one.facts.get("files", 0) for one in watcher.told if one.event == "cleared") == 10


def test_what_is_doubtful_waits_and_the_rest_comes(library: Library, phone: Path) -> None:
    """It is told once; a file that nobody knows is left; the second half of a press finds the first one."""
    put(phone / "undated.jpg", making.jpeg(None, seed=5))
    put(phone / "notes.xyz", b"what is this")
    put(phone / "DSC1.jpg", shot(1))
    with Watcher(phone, library) as watcher:
        watcher.until(lambda: len(watcher.home) == 1)
        put(phone / "DSC1.dng", making.dng(WHEN + timedelta(minutes=1), seed=1))
        watcher.until(lambda: len(watcher.home) == 2)
        watcher.watcher.wake()
        time.sleep(3 * RESTS)
    stems = {one.rpartition(".")[0] for one in watcher.home}
    assert len(stems) == 1, "both files of one press have one name"
    waits = [os.path.basename(one.facts["file"]) for one in watcher.told if one.event == "waits"]
    assert sorted(waits) == ["notes.xyz", "undated.jpg"]
    assert {one.name for one in phone.iterdir()} == {"undated.jpg", "notes.xyz", "DSC1.jpg", "DSC1.dng"}


def test_what_waited_is_looked_at_again_once_something_was_done_in_the_library(library: Library, phone: Path) -> None:
    """A person brought it home meanwhile, and answered: it goes as the rule says."""
    rules(library, '[inboxes]\nclear = "for-good"\n')
    put(phone / "undated.jpg", making.jpeg(None, seed=5))
    with Watcher(phone, library) as watcher:
        watcher.until(lambda: "waits" in watcher.events)
        jutrek("bring", phone, "-l", library.root, "--undated", "unfiled")
        watcher.watcher.wake()
        watcher.until(lambda: not list(phone.iterdir()))
    assert len(watcher.home) == 1


def test_what_a_person_brought_home_goes_as_the_rule_says(library: Library, phone: Path) -> None:
    """Where it only asks, too; what is not home stays, and nothing is told of it twice."""
    rules(library, '[inboxes]\nclear = "for-good"\n')
    put(phone / "undated.jpg", making.jpeg(None, seed=5))
    put(phone / "a.jpg", shot(1))
    with Watcher(phone, library, by_itself=False) as watcher:
        watcher.until(lambda: "waits" in watcher.events)
        jutrek("bring", phone, "-l", library.root, code=1)
        assert len(list(phone.iterdir())) == 2
        watcher.watcher.wake()
        watcher.until(lambda: [one.name for one in phone.iterdir()] == ["undated.jpg"])
    assert watcher.events == ["watching", "waits", "cleared"]


def test_what_was_edited_on_the_phone_is_no_new_picture(library: Library, phone: Path) -> None:
    picture = making.jpeg(WHEN, seed=3)
    put(phone / "a.jpg", picture)
    with Watcher(phone, library) as watcher:
        watcher.until(lambda: len(watcher.home) == 1)
        (phone / "a.jpg").write_bytes(making.jpeg(WHEN, seed=3, offset="+03:00"))
        watcher.until(lambda: "waits" in watcher.events)
    assert len(watcher.home) == 1
    assert any("with other notes" in one.words for one in watcher.told)


def test_nothing_goes_while_a_backup_is_away_or_says_otherwise(library: Library, phone: Path, tmp_path: Path) -> None:
    (tmp_path / "Heron").mkdir()
    add_place(library, str(tmp_path / "Heron"))
    rules(library, '[inboxes]\narrivals = "by-itself"\nclear = "for-good"\n')
    (tmp_path / "Heron").rename(tmp_path / "away")
    put(phone / "a.jpg", shot(1))
    with Watcher(phone, library, by_itself=False) as watcher:
        watcher.until(lambda: "stays" in watcher.events)
        assert (phone / "a.jpg").exists()
        assert any("Heron is not connected" in one.words for one in watcher.told)
        # It is here again, and lacks the file: what is not proven there stays.
        (tmp_path / "away").rename(tmp_path / "Heron")
        watcher.watcher.wake()
        watcher.until(lambda: sum(one.event == "stays" for one in watcher.told) == 2)
        assert (phone / "a.jpg").exists()


def test_by_the_house_rule(library: Library, phone: Path) -> None:
    """Asked for, it is only told, once; left, nothing is; never cleared where nothing says so."""
    put(phone / "a.jpg", shot(1))
    with Watcher(phone, library, by_itself=False) as watcher:
        watcher.until(lambda: "waits" in watcher.events)
        watcher.watcher.wake()
        time.sleep(3 * RESTS)
    assert watcher.events == ["watching", "waits"]
    rules(library, '[inboxes]\narrivals = "leave"\n')
    with Watcher(phone, library, by_itself=False) as left:
        time.sleep(3 * RESTS)
    assert left.events == ["watching"]
    assert left.home == set()
    with Watcher(phone, library) as own:
        own.until(lambda: len(own.home) == 1)
    assert (phone / "a.jpg").exists()


def test_into_the_trash(library: Library, phone: Path, tmp_path: Path) -> None:
    rules(library, '[inboxes]\nclear = "trash"\n')
    put(phone / "a.jpg", shot(1))
    with Watcher(phone, library) as watcher:
        watcher.until(lambda: "cleared" in watcher.events)
    assert [one.name for one in tmp_path.rglob("a.jpg")] == ["a.jpg"]
    assert not (phone / "a.jpg").exists()


def test_trouble_is_told_once_and_outlived(library: Library, phone: Path) -> None:
    """The inbox is away; the library is busy, and gone: it is told, and goes on as soon as it can."""
    away = phone.rename(phone.parent / "away")
    told: list[Happened] = []
    watcher = InboxWatcher(WatchedFolder(str(phone), library.root, True), told.append, never(), rests=0)
    assert watcher.look() > 0
    watcher.look()
    assert [one.event for one in told] == ["trouble"]
    away.rename(phone)
    put(phone / "a.jpg", shot(1))
    with locked(library):
        watcher.look()
    assert [one.event for one in told] == ["trouble", "busy"]
    home = Path(library.root).rename(phone.parent / "elsewhere")
    watcher.look()
    assert told[-1].event == "trouble"
    home.rename(library.root)
    watcher.look()
    assert told[-1].event == "home"
    phone.rename(away)
    watcher.look()
    assert told[-1].event == "trouble"


def test_all_end_together(library: Library, phone: Path, tmp_path: Path) -> None:
    (tmp_path / "Other").mkdir()
    told: list[Happened] = []
    stop = threading.Event()
    entries = [WatchedFolder(str(one), library.root) for one in (phone, tmp_path / "Other")]
    threading.Timer(0.5, stop.set).start()
    assert watch(lambda tell: [InboxWatcher(one, tell, stop) for one in entries], told.append, stop)
    assert sorted(one.folder for one in told) == sorted(one.root for one in entries)


class Late(threading.Event):
    """Is woken to end in the very moment in which it would forget it."""

    end: Callable[[], object]

    def clear(self) -> None:
        self.end()
        super().clear()


def test_whoever_is_to_end_ends_at_once(library: Library, phone: Path) -> None:
    stop = threading.Event()
    watcher = InboxWatcher(WatchedFolder(str(phone), library.root), lambda _: None, stop)
    hints = InboxHints(str(phone), frozenset, lambda _: None)
    for one, end in ((watcher, stop.set), (hints, hints.stop)):
        late = one._wake = Late()
        late.end = end
    threads = [threading.Thread(target=watcher.run), hints._thread]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(PATIENCE)
        assert not thread.is_alive()


def test_inboxes_are_the_persons(library: Library, phone: Path, tmp_path: Path) -> None:
    assert add_inbox(str(phone), library.root)
    assert not add_inbox(str(phone), library.root, by_itself=True)
    assert inboxes() == ([WatchedFolder(str(phone), library.root, True)], [])
    (phone / "inner").mkdir()
    for root in (phone / "inner", tmp_path, Path(library.root), tmp_path / "nowhere", Path(library.root, ".jutrek")):
        with pytest.raises(JutrekError):
            add_inbox(str(root), library.root)
    with pytest.raises(JutrekError):
        add_inbox(str(phone), str(tmp_path))
    page = Path(platformdirs.user_config_dir("jutrek"), "inboxes.toml")
    page.write_text(page.read_text() + '[[inbox]]\nfolder = "../x"\nlibrary = "/y"\n[[inbox]]\nfolder = 5\n')
    found, bad = inboxes()
    assert [one.root for one in found] == [str(phone)]
    assert len(bad) == 2
    with pytest.raises(PageBroken):
        add_inbox(str(tmp_path), library.root)
    page.write_text(page.read_text().partition('[[inbox]]\nfolder = "../x"')[0])
    assert remove_inbox(str(phone)).by_itself
    with pytest.raises(NotPossible, match="no inbox"):
        remove_inbox(str(phone))
    with Ledger(open_library(library.root).ledger_path):
        assert inboxes() == ([], [])


def test_an_inbox_fills_the_board_by_itself(
    session: Talk, ear: Ear, library: Library, phone: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It is a source of its library's intake, without being asked for; what is not finished is not on it yet."""
    monkeypatch.setattr(InboxHints.__init__, "__kwdefaults__", {"rests": RESTS})
    add_inbox(str(phone), library.root)
    session.open_library(library.root)
    put(phone / "a.jpg", shot(1))
    put(phone / "b.jpg.part", shot(2))
    board = ear.board(lambda board: board.captures == 1)
    assert len(board.sources) == 1
    (phone / "b.jpg.part").rename(phone / "b.jpg")
    assert ear.board(lambda board: board.captures == 2)
    (phone / "a.jpg").unlink()
    assert ear.board(lambda board: board.captures == 1)
    # Left out, it stays so however it goes on there.
    session.ask_intake(lambda intake: intake.remove_source(str(phone)))
    assert not ear.board(lambda board: not board.sources).sources
    put(phone / "c.jpg", shot(3))
    time.sleep(4 * RESTS)
    assert all(not one.board.sources for one in ear.heard if isinstance(one, events.BoardChanged))


def test_while_a_window_is_open_it_comes_home_by_itself(
    session: Talk, ear: Ear, library: Library, phone: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """As soon as it is an inbox and the house says so, and no longer than that."""
    for one in (InboxHints, InboxWatcher):
        monkeypatch.setattr(one.__init__, "__kwdefaults__", {"rests": RESTS})
    session.open_library(library.root)
    ear.board()
    put(phone / "a.jpg", shot(1))
    session.ask_intake(lambda intake: intake.add_inbox(str(phone)))
    ear.board(lambda board: board.captures == 1)
    assert not [one for one in names_below(library.root) if one.endswith(".jpg")]
    rules = HouseRules(arrivals=OnArrival.BY_ITSELF)
    session.ask_library(lambda at: at.rules.keep(rules, ()))
    told = ear.wait(lambda event: isinstance(event, events.InboxTold))
    assert (told.is_trouble, told.words) == (False, f"1 file is home from {phone}.")
    ear.board(lambda board: board.captures == 1 and not board.bring_bytes)
    assert len([one for one in names_below(library.root) if one.endswith(".jpg")]) == 1
    assert not [one for one in ear.all if isinstance(one, events.InboxTold) and one.is_trouble]
    session.ask_library(lambda at: at.rules.keep(HouseRules(), ()))
    put(phone / "b.jpg", shot(2))
    ear.board(lambda board: board.captures == 2)
    time.sleep(4 * RESTS)
    assert len([one for one in names_below(library.root) if one.endswith(".jpg")]) == 1
    session.ask_intake(lambda intake: intake.remove_inbox(str(phone)))
    ear.board(lambda board: not board.sources)
    session.ask_library(lambda at: at.rules.keep(rules, ()))
    time.sleep(RESTS)
    session.ask_intake(lambda intake: intake.add_inbox(str(phone)))
    assert ear.wait(lambda event: isinstance(event, events.InboxTold)).words == f"1 file is home from {phone}."


def test_a_mate_that_is_being_written_again_does_not_come_along(library: Library, phone: Path) -> None:
    told: list[Happened] = []
    watcher = InboxWatcher(WatchedFolder(str(phone), library.root, True), told.append, never(), rests=RESTS)

    def look() -> None:
        watcher.look()
        time.sleep(1.5 * RESTS)
        watcher.look()

    put(phone / "P1.jpg", making.jpeg(None, seed=5))
    look()
    assert [one.event for one in told] == ["waits"]
    put(phone / "P1.dng", making.dng(WHEN, seed=5))
    watcher.look()
    time.sleep(1.5 * RESTS)
    with (phone / "P1.jpg").open("ab") as file:
        file.write(b"more")
    watcher.look()
    assert {Path(one).suffix for one in names_below(library.root) if ".jutrek" not in one} == {".dng"}
    assert [one.event for one in told] == ["waits", "home"]
