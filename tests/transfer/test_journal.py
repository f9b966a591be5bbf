"""The record: chained, ordered whatever the clock says, able to teach a lost ledger; and what it lets be taken back."""

from __future__ import annotations

import errno
import json
import os
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import pytest

from jutrek.errors import NotPossible
from jutrek.filing import Action, Row
from jutrek.library import Library, new_library, survey
from jutrek.library.ledger import Ledger
from jutrek.transfer import Outcome, bring, journal, recover, refile
from jutrek.transfer.chain import START, breaks, chain_of, link
from jutrek.transfer.journal import Journal, Kind, path_of
from jutrek.transfer.run_log import broken_records, run_log_of, runs
from jutrek.transfer.taking_back import empty_taken_back, plan_taking_back, taken_back_by
from tests import making
from tests.making import WHEN, names_below, never, planned, put
from tests.transfer.test_bring import fill


@pytest.fixture
def brought(library: Library, ledger: Ledger, card: Path) -> list[str]:
    """Two intakes; their runs."""
    fill(card, 3)
    first = bring(planned(library, ledger, [card]), library, ledger, stop=never())
    put(card / "LATER.JPG", making.jpeg(WHEN.replace(hour=20)))
    second = bring(planned(library, ledger, [card]), library, ledger, stop=never())
    return [first.run, second.run]


def test_every_line_is_chained_to_the_one_before(library: Library, brought: list[str]) -> None:
    """As the format page says it: SHA-256 over the chain before and the line without its own."""
    before = START
    for run in brought:
        lines = Path(library.tree.at(path_of(run))).read_bytes().splitlines(keepends=True)
        assert json.loads(lines[0])["after"] == before
        for line in lines:
            entry = json.loads(line)
            chain = entry.pop("chain")
            assert chain == chain_of(line) == link(before, json.dumps(entry).encode())
            before = chain
    assert broken_records(library) == {}


def edit(path: Path) -> None:
    path.write_bytes(path.read_bytes().replace(b'"size": 9', b'"size": 8', 1))


def cut_out(path: Path) -> None:
    lines = path.read_bytes().splitlines(keepends=True)
    path.write_bytes(b"".join(lines[:3] + lines[4:]))


def write_in(path: Path) -> None:
    lines = path.read_bytes().splitlines(keepends=True)
    path.write_bytes(b"".join([*lines[:3], b'{"entry": "home", "row": 1}\n', *lines[3:]]))


@pytest.mark.parametrize(
    ("act", "which", "words"),
    [
        (edit, 0, "was changed after it was written"),
        (cut_out, 0, "or one before it is missing"),
        (write_in, 0, "not one that Jutrek wrote"),
        (lambda path: path.write_bytes(path.read_bytes()[:-20]), 1, "torn"),
        (lambda path: path.write_bytes(b"".join(path.read_bytes().splitlines(keepends=True)[:-1])), 0, "its end was"),
        (Path.unlink, 0, "is missing"),
    ],
)
def test_whatever_is_done_to_a_record_is_noticed(
    act: Callable[[Path], None], which: int, words: str, library: Library, brought: list[str]
) -> None:
    """A changed, missing, foreign or torn line; a cut end; a journal that is gone."""
    path = Path(library.tree.at(path_of(brought[which])))
    before = path.read_bytes()
    act(path)
    assert not path.exists() or path.read_bytes() != before
    told = [one.what for found in broken_records(library).values() for one in found]
    assert any(words in what for what in told)


def test_a_record_of_an_older_jutrek_has_no_chain_and_no_breaks(brought: list[str], library: Library) -> None:
    """Nor has an empty one; where a chain begins in the middle of a record, its lines before are missed."""
    lines = (Path(library.own) / "journal" / f"{brought[0]}.jsonl").read_bytes().splitlines(keepends=True)
    bare = [json.dumps({key: value for key, value in json.loads(line).items() if key != "chain"}).encode() + b"\n"
            for line in lines]  # fmt: skip
    assert breaks([], "before") == breaks(bare, "before") == ([], None)
    assert breaks(lines, None)[0] == []
    assert breaks([*bare[:1], *lines[1:]], None)[0]


def test_a_torn_line_is_owned_up_to_and_the_chain_goes_on(library: Library, ledger: Ledger, brought: list[str]) -> None:
    """After a power loss the next start writes that a line was torn; then all is whole again."""
    path = Path(library.tree.at(path_of(brought[1])))
    path.write_bytes(path.read_bytes()[:-20])
    (leftover,) = recover(library, ledger)
    assert (leftover.run, leftover.left) == (brought[1], 0)
    assert broken_records(library) == {}
    assert b'"torn"' in path.read_bytes()


def test_a_clock_set_back_disorders_nothing(
    library: Library, ledger: Ledger, brought: list[str], card: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Runs are numbered: the newest is the newest, and what moved last is where it is."""

    class Past(journal.datetime):  # type: ignore[name-defined, misc]
        @classmethod
        def now(cls, tz: object = None) -> object:
            return journal.datetime(1999, 1, 1, tzinfo=tz)  # type: ignore[arg-type]

    with monkeypatch.context() as patch:
        patch.setattr(journal, "datetime", Past)
        back, _ = plan_taking_back(library, brought[1])
        undone = refile(back, library, ledger, stop=never(), takes_back=brought[1])
    assert undone.run.startswith("000003-1999")
    assert runs(library) == [*brought, undone.run]
    assert broken_records(library) == {}
    assert taken_back_by(library) == {brought[1]: undone.run}


@pytest.mark.parametrize("how", ["deleted", "truncated", "flipped"])
def test_a_ledger_in_any_state_is_made_anew_and_nothing_is_lost(
    how: str, library: Library, ledger: Ledger, brought: list[str]
) -> None:
    """What was known of every file is known again: fingerprints, moments, originals, proofs."""
    known = ledger.all_filed(), ledger.proofs(""), ledger.all_files()
    ledger.close()
    path = Path(library.ledger_path)
    for tail in ("-wal", "-shm"):
        Path(f"{path}{tail}").unlink(missing_ok=True)
    if how == "deleted":
        path.unlink()
    elif how == "truncated":
        os.truncate(path, 1000)
    else:
        data = bytearray(path.read_bytes())
        for at in range(0, len(data), 97):
            data[at] ^= 0x55
        path.write_bytes(bytes(data))
    with Ledger(library.ledger_path) as other:
        recover(library, other)
        survey(library, other)
        assert other.all_files() == known[2]
        assert other.all_filed() == known[0]
        assert {path: mark.full for path, mark in other.proofs("").items()} == {
            path: mark.full for path, mark in known[1].items()
        }
        assert all(home.full for home in other.of_sizes(size for size, _ in known[2].values()))


def take_back(library: Library, ledger: Ledger, run: str) -> tuple[Outcome, list[str]]:
    plan, left = plan_taking_back(library, run)
    return refile(plan, library, ledger, stop=never(), takes_back=run), left


def test_an_intake_is_taken_back_and_done_again(library: Library, ledger: Ledger, brought: list[str]) -> None:
    """Nothing is removed: the files are put away, and come back with all that was known of them."""
    before, filed, proofs = names_below(library.root), ledger.all_filed(), ledger.proofs("")
    later = set(ledger.all_files()) - {row["to"] for row in run_log_of(library, brought[0]).to_come.values()}
    undone, left = take_back(library, ledger, brought[0])
    assert (undone.home, left) == (4, [])
    assert names_below(library.root) == later
    survey(library, ledger)
    assert ledger.all_files().keys() == later
    assert len([p for p in Path(library.own, "taken-back", brought[0]).rglob("*") if p.is_file()]) == 4
    again, _ = take_back(library, ledger, undone.run)
    assert again.home == 4
    assert names_below(library.root) == before
    survey(library, ledger)
    assert (ledger.all_filed(), ledger.proofs("").keys()) == (filed, proofs.keys())
    assert brought[0] not in taken_back_by(library)


def test_what_was_changed_since_stays_and_is_told(library: Library, ledger: Ledger, brought: list[str]) -> None:
    """A file that was edited, and one that is gone, are listed; the rest goes."""
    edited, gone = sorted(entry["to"] for entry in run_log_of(library, brought[0]).to_come.values())[:2]
    Path(library.root, edited).write_bytes(b"edited")
    Path(library.root, gone).unlink()
    undone, left = take_back(library, ledger, brought[0])
    assert (undone.home, len(left)) == (2, 2)
    assert f"{edited} was changed since." in left
    assert f"{gone} is gone." in left
    assert Path(library.root, edited).read_bytes() == b"edited"


def test_a_refiled_intake_is_taken_back_from_where_it_is_now(
    library: Library, ledger: Ledger, brought: list[str]
) -> None:
    """Moves that came later are followed."""
    from jutrek.filing import HouseRules
    from tests.transfer.test_refiling import plan_of

    refile(plan_of(library, ledger, HouseRules(layout="{kind}")), library, ledger, stop=never())
    undone, left = take_back(library, ledger, brought[0])
    assert (undone.home, left) == (4, [])
    assert len(names_below(library.root)) == 1


def test_what_was_taken_back_goes_to_the_trash_on_demand(
    library: Library, ledger: Ledger, brought: list[str], tmp_path: Path
) -> None:
    """As a whole, into the freedesktop trash of its drive; only then the room is free."""
    take_back(library, ledger, brought[0])
    assert empty_taken_back(library) == 1
    assert list(Path(library.own, "taken-back").iterdir()) == []
    trashed = [p for p in (tmp_path / "xdg" / "Trash" / "files").rglob("*") if p.is_file()]
    assert len(trashed) == 4


def test_a_full_disk_keeps_no_record_from_being_written(small_place: Path) -> None:
    """Room for what will be told of every file is kept when it is announced, and given back in the end."""
    library = new_library(str(small_place))
    rows = [Row(f"/card/{n}", "/card", Action.BRING, f"2026/{n}.jpg", "", 1, 1) for n in range(200)]
    begun = Journal.begin(library, Kind.INTAKE)
    begun.bring(rows)
    with (small_place / "filler").open("wb", buffering=0) as file, suppress(OSError):
        while True:
            file.write(bytes(4096))
    for number, row in enumerate(rows):
        begun.failed(number, row, "why " * 100)
    begun.end("stopped", 0, 200)
    begun.close()
    assert len(run_log_of(library, begun.run).failed) == 200
    path = Path(library.tree.at(path_of(begun.run)))
    assert path.stat().st_blocks * 512 - path.stat().st_size < 8192


def test_only_what_changed_something_can_be_taken_back(library: Library, ledger: Ledger) -> None:
    """A check changes nothing; an unknown run is none."""
    begun = Journal.begin(library, Kind.CHECK)
    begun.end("done", 0, 0)
    begun.close()
    for run in (begun.run, "nonsense"):
        with pytest.raises(NotPossible):
            plan_taking_back(library, run)


def test_a_line_that_a_full_disk_cuts_off_leaves_no_trace(small_place: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """What was whole is kept; once there is room the run ends its record, and nothing of it is broken."""
    library = new_library(str(small_place))
    record = Journal.begin(library, Kind.CHECK)
    path = small_place / ".jutrek" / "journal" / f"{record.run}.jsonl"
    for cut_off in (False, True):
        filler = small_place / "filler"
        with suppress(OSError), filler.open("wb") as file:
            while True:
                file.write(bytes(4096))
        before = path.stat().st_size
        entries = [{"entry": "gone", "place": "", "path": f"{n}.jpg", "why": "x" * 300} for n in range(40)]
        with monkeypatch.context() as patch:
            if cut_off:
                patch.setattr(os, "ftruncate", refused)
            with pytest.raises(OSError, match="No space"):
                record.note(*entries)
        assert path.stat().st_size > before
        assert path.read_bytes().endswith(b"\n") is not cut_off
        filler.unlink()
        record.note(*entries[:2])
    record.end("done", 0, 0)
    record.close()
    assert broken_records(library) == {}
    told = [one["path"] for one in run_log_of(library, record.run).others if one["entry"] == "gone"]
    assert told[-2:] == ["0.jpg", "1.jpg"]


def test_a_line_that_was_whole_before_the_disk_was_full_stays(
    library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It ends where the disk did."""
    record, write, room = Journal.begin(library, Kind.CHECK), os.write, [True]

    def first_line(fd: int, data: bytes) -> int:
        if not room:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        room.clear()
        return write(fd, bytes(data).splitlines(keepends=True)[0])

    with monkeypatch.context() as patch, pytest.raises(OSError, match="No space"):
        patch.setattr(os, "write", first_line)
        record.note(*({"entry": "settled", "words": words} for words in ("one", "two")))
    record.end("done", 0, 0)
    record.close()
    assert broken_records(library) == {}
    assert [one["words"] for one in run_log_of(library, record.run).others] == ["one"]


def refused(*_: object) -> None:
    raise OSError(errno.EIO, os.strerror(errno.EIO))
