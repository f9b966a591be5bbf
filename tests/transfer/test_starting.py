"""Starting jobs: whole or not at all, each with a number of its own, whoever else starts one and whatever is killed."""

from __future__ import annotations

import errno
import json
import os
import stat
import threading
from pathlib import Path

import pytest

from jutrek.desk.places import places_of
from jutrek.desk.taking_back import take_back
from jutrek.desk.working_files import called_so, make_next
from jutrek.disk import Inside, Tree
from jutrek.disk.held import Held
from jutrek.errors import CantStart, LibraryBusy, NotFinished, NotMade, NotPossible
from jutrek.jobs.job import read_job
from jutrek.jobs.listed import placed_jobs
from jutrek.jobs.numbers import claims
from jutrek.library import Library, new_library, survey
from jutrek.library.ledger import Ledger
from jutrek.transfer import Listener, making, recover
from jutrek.transfer.journal import Journal
from jutrek.transfer.lock import locked
from jutrek.transfer.run_log import end_of, run_log_of, runs
from jutrek.transfer.starting import Started, start_job
from tests.jobs.outlines import keep, start
from tests.killing import dying_before, killed_in
from tests.making import names_below, never, put

JOB = "jobs/2026/0001 VLT Boiler test"
MADE = [f"{JOB}/.job.toml", f"{JOB}/0001 notes.md", f"{JOB}/2 work/0001_boiler-test_v01.otio"]


@pytest.fixture
def home(library: Library) -> Library:
    keep(library)
    return library


def begin(home: Library, ledger: Ledger, title: str = "Boiler test", **more: str) -> Started:
    return start_job(home, ledger, start(home, title, **more), stop=never())


def lies(home: Library) -> list[str]:
    return sorted(one for one in names_below(home.root) if not one.startswith(".jutrek"))


def folders(home: Library) -> set[str]:
    found = {os.path.relpath(top, home.root) for top, *_ in os.walk(home.root)}
    return {one for one in found if not one.startswith((".", "ascmhl"))}


def back(home: Library, ledger: Ledger, run: str) -> list[str]:
    return take_back(home, ledger, run, places_of(home), stop=never(), listener=Listener())[1]


def test_started_known_and_taken_back(home: Library, ledger: Ledger) -> None:
    done = begin(home, ledger, with_=frozenset({"drone"}))  # type: ignore[arg-type]
    assert lies(home) == MADE and f"{JOB}/2 work/drone/maps" in folders(home)
    assert json.loads(Path(home.root, MADE[2]).read_text()) == {"name": "Boiler test"}
    assert Path(home.root, MADE[1]).read_text() == "# 0001\n"
    found = survey(home, ledger)
    assert (found.new, found.changed, found.files) == (0, 0, 3)
    (placed,), bad = placed_jobs(home, ledger)
    assert (placed.folder, placed.job.called, placed.landing, bad) == (JOB, "0001 VLT Boiler test", f"{JOB}/1 raw", [])
    assert not os.listdir(Path(home.root, ".jutrek/making"))
    assert {path: mark.stands for path, mark in ledger.marks("").items()} == dict.fromkeys(MADE, True)
    before = folders(home)
    assert back(home, ledger, done.made.run) == []
    assert (lies(home), folders(home), claims(home)) == ([], set(), [])
    again = begin(home, ledger, "Track walk")
    assert again.placed.job.number == "0001"
    assert back(home, ledger, again.made.run) == []
    undone = next(run for run in runs(home) if run_log_of(home, run).takes_back == done.made.run)
    assert back(home, ledger, undone) == []
    assert (lies(home), folders(home)) == (MADE, before)
    assert [one.written for one in claims(home)] == ["0001"]
    assert begin(home, ledger, "Other").placed.job.number == "0002"
    redone = next(run for run in runs(home) if run_log_of(home, run).takes_back == undone)
    put(Path(home.root, JOB, "1 raw/P1.jpg"), b"x")
    assert back(home, ledger, redone) == []
    assert [one.written for one in claims(home)] == ["0001", "0002"] and (Path(home.root, JOB, "1 raw/P1.jpg")).exists()


def test_what_is_worked_in_is_not_taken_back(home: Library, ledger: Ledger) -> None:
    run = begin(home, ledger).made.run
    assert back(home, ledger, begin(home, ledger, "Another").made.run) == []
    assert [one.written for one in claims(home)] == ["0001"]
    put(Path(home.root, JOB, "1 raw/P1.jpg"), b"x")
    with pytest.raises(NotPossible, match=r"P1\.jpg lies in the job's folder"):
        back(home, ledger, run)
    Path(home.root, JOB, "1 raw/P1.jpg").unlink()
    Path(home.root, MADE[1]).write_text("# 0001 more\n")
    with pytest.raises(NotPossible, match=r"notes\.md was changed since"):
        back(home, ledger, run)
    assert lies(home) == MADE


def test_nothing_is_written_into_what_is_there(home: Library, ledger: Ledger) -> None:
    theirs = put(Path(home.root, JOB.replace("VLT", "vlt"), "0001 notes.md"), b"# 9999\n")
    for wanted, why in ((start(home), "is there already"), (start(home, into=True), "spelt otherwise")):
        with pytest.raises(NotPossible, match=why):
            start_job(home, ledger, wanted, stop=never())
    os.rename(theirs.parent, Path(home.root, JOB))
    done = start_job(home, ledger, start(home, into=True), stop=never())
    assert done.made.left == [MADE[1]] and Path(home.root, MADE[1]).read_bytes() == b"# 9999\n"
    assert lies(home) == MADE and not os.listdir(Path(home.root, ".jutrek/making"))
    with pytest.raises(NotPossible, match="is a job already"):
        start_job(home, ledger, start(home, into=True, job="0001"), stop=never())


def test_links_and_files_on_the_way(home: Library, ledger: Ledger, tmp_path: Path) -> None:
    outside = tmp_path / "outside"
    outside.mkdir()
    (Path(home.root) / "jobs").symlink_to(outside)
    with pytest.raises((NotPossible, NotMade)):
        begin(home, ledger)
    (Path(home.root) / "jobs").unlink()
    (Path(home.root) / "jobs").write_text("a file")
    with pytest.raises(NotPossible, match="is no folder"):
        begin(home, ledger)
    (Path(home.root) / "jobs").unlink()
    put(Path(home.root, JOB), b"a file")
    with pytest.raises(NotPossible, match="is no folder"):
        start_job(home, ledger, start(home, into=True), stop=never())
    Path(home.root, JOB).unlink()
    os.removedirs(Path(home.root, "jobs/2026"))
    (Path(home.root) / "jobs").write_text("a file")
    assert (os.listdir(outside), claims(home)) == ([], [])
    starter = Path(home.root, ".jutrek/outlines/Film/notes.md")
    (Path(home.root) / "jobs").unlink()
    wanted = start(home)
    starter.unlink()
    starter.symlink_to("/etc/hostname")
    with pytest.raises(NotMade):
        start_job(home, ledger, wanted, stop=never())
    assert (lies(home), claims(home), folders(home)) == ([], [], set())


@pytest.mark.parametrize(
    "title", ["../../out", "..", "a\0b", "CON", "/etc", "x" * 300, "\u202egnp.exe", "a\nb", ".jutrek"]
)
def test_hostile_words_stay_inside(home: Library, ledger: Ledger, title: str, tmp_path: Path) -> None:
    outside = set(os.listdir(tmp_path))
    try:
        done = begin(home, ledger, title)
    except CantStart:
        assert lies(home) == []
    else:
        assert done.placed.folder.startswith("jobs/2026/0001 VLT") and done.placed.folder.count("/") == 2
        assert Path(home.root, done.placed.folder, ".job.toml").is_file()
    assert set(os.listdir(tmp_path)) == outside


@pytest.mark.parametrize("point", range(1, 4))
@pytest.mark.parametrize(
    ("owner", "name"),
    [(Journal, "note"), (Journal, "sync"), (Held, "write_new"), (Tree, "sync_folder"), (Tree, "rename_folder"),
     (Tree, "make_folders"), (making, "clear_staged"), (Journal, "end"), (Held, "make_folder")],
)  # fmt: skip
def test_killed_anywhere(
    home: Library, ledger: Ledger, owner: object, name: str, point: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A job is finished, or taken away with its number, by the next start."""

    def job() -> None:
        with monkeypatch.context() as patch, Ledger(home.ledger_path) as own:
            dying_before(owner, name, point, patch)
            begin(home, own)
            os.kill(os.getpid(), 9)

    killed_in(job)
    recover(home, ledger)
    assert all(end_of(home, run) for run in runs(home))
    if lies(home):
        assert lies(home) == MADE
        assert [one.written for one in claims(home)] == ["0001"]
        assert survey(home, ledger).new == 0
        (run,) = (run for run in runs(home) if end_of(home, run)["home"])
        assert back(home, ledger, run) == []
    assert (lies(home), claims(home), folders(home) - {"jobs", "jobs/2026"}) == ([], [], set())
    assert not os.path.isdir(Path(home.root, ".jutrek/making")) or not os.listdir(Path(home.root, ".jutrek/making"))
    assert begin(home, ledger).placed.job.number == "0001"


@pytest.mark.parametrize("point", range(1, 6))
def test_killed_while_it_goes_into_what_is_there(
    home: Library, ledger: Ledger, point: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    put(Path(home.root, JOB, "2 work/theirs.txt"), b"theirs")

    def job() -> None:
        with monkeypatch.context() as patch, Ledger(home.ledger_path) as own:
            dying_before(Tree, "give_name" if point < 3 else "rename_folder", point if point < 3 else point - 2, patch)
            start_job(home, own, start(home, into=True), stop=never())
            os.kill(os.getpid(), 9)

    killed_in(job)
    assert point > 2 or not Path(home.root, MADE[0]).exists(), "it is called a job before all of it is there"
    recover(home, ledger)
    assert lies(home) == sorted([*MADE, f"{JOB}/2 work/theirs.txt"])
    assert read_job(home.tree, JOB) is not None


def test_forty_at_once(home: Library, ledger: Ledger, tmp_path: Path) -> None:
    """Forty processes get forty numbers and forty whole trees."""
    go, told = os.pipe(), tmp_path / "told"
    told.mkdir()
    children = []
    for number in range(40):
        if not (child := os.fork()):
            try:
                with Ledger(home.ledger_path) as own:
                    os.close(go[1])
                    os.read(go[0], 1)
                    (told / begin(home, own, f"Same{number % 7}").placed.job.number).touch()
            finally:
                os._exit(0)
        children.append(child)
    os.close(go[0])
    os.close(go[1])
    for child in children:
        os.waitpid(child, 0)
    numbers = sorted(os.listdir(told))
    assert numbers == [f"{number:04}" for number in range(1, 41)]
    survey(home, ledger)
    placed, bad = placed_jobs(home, ledger)
    assert sorted(one.job.number for one in placed) == numbers and bad == []
    assert len(lies(home)) == 3 * 40 and all(end_of(home, run)["how"] == "done" for run in runs(home))


def test_two_stations_that_see_no_lock_of_each_other(
    home: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The record decides, where the other station's came between looking and taking."""
    from jutrek.transfer import starting

    real = starting.claim

    def late(library: Library, series: object, **more: object) -> object:
        monkeypatch.setattr(starting, "claim", real)
        real(library, series, job="theirs", run="x", at="", who="")  # type: ignore[arg-type]
        return real(library, series, **more)  # type: ignore[arg-type]

    monkeypatch.setattr(starting, "claim", late)
    assert begin(home, ledger).placed.folder == "jobs/2026/0002 VLT Boiler test"
    assert "0002_boiler-test_v01.otio" in os.listdir(Path(home.root, "jobs/2026/0002 VLT Boiler test/2 work"))


def test_what_reads_back_differently_is_not_made(
    home: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch
) -> None:
    with monkeypatch.context() as patch:
        patch.setattr(making, "read_back", lambda *_, **__: (b"\0" * 16, True))
        with pytest.raises(NotMade, match="read back differently"):
            begin(home, ledger)
    assert (lies(home), claims(home), folders(home)) == ([], [], set())


@pytest.mark.parametrize(
    ("owner", "name", "point", "into"),
    [(Tree, "give_name", 2, True), (Tree, "rename_folder", 1, True), (Ledger, "put_proofs", 1, False),
     (Journal, "note", 6, False), (Journal, "end", 1, False)],
)  # fmt: skip
def test_a_disk_that_fails_in_the_middle_of_naming(
    home: Library, ledger: Ledger, owner: object, name: str, point: int, into: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Nothing is said to be gone that is there: the next start finishes it, and the number stays taken."""
    if into:
        put(Path(home.root, JOB, "2 work/theirs.txt"), b"theirs")
    real, left = getattr(owner, name), [point]

    def fails(*args: object, **more: object) -> object:
        left[0] -= 1
        if not left[0]:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        return real(*args, **more)

    with monkeypatch.context() as patch:
        patch.setattr(owner, name, fails)
        if name == "end":
            start_job(home, ledger, start(home, into=into), stop=never())
        else:
            with pytest.raises(NotFinished, match="The next start finishes it"):
                start_job(home, ledger, start(home, into=into), stop=never())
    assert [one.written for one in claims(home)] == ["0001"]
    recover(home, ledger)
    assert set(MADE) <= set(lies(home)) and survey(home, ledger).changed == 0
    assert [one.job.number for one in placed_jobs(home, ledger)[0]] == ["0001"]
    assert all(end_of(home, run) for run in runs(home))


def test_waits_for_others_and_no_longer(home: Library, ledger: Ledger) -> None:
    with locked(home), pytest.raises(LibraryBusy):
        stop = threading.Event()
        stop.set()
        start_job(home, ledger, start(home), stop=stop)
    assert claims(home) == []


def test_a_large_starter_is_copied_and_can_be_stopped(home: Library, ledger: Ledger) -> None:
    """One of 4 GB, all of it holes, so that it costs no room."""
    with open(Path(home.root, ".jutrek/outlines/Film/notes.md"), "wb") as file:
        file.write(b"{jutrek job}")
        file.truncate(4 << 30)
    stop, seen = threading.Event(), [0]

    def look(size: int) -> None:
        seen[0] += size
        if seen[0] > 100 << 20:
            stop.set()

    with pytest.raises(NotMade, match="it was stopped"):
        start_job(home, ledger, start(home), stop=stop, look=look)
    assert (lies(home), claims(home)) == ([], [])
    with open(Path(home.root, ".jutrek/outlines/Film/notes.md"), "r+b") as file:
        file.truncate(20 << 20)
    begin(home, ledger)
    assert Path(home.root, MADE[1]).stat().st_size == 20 << 20
    assert Path(home.root, MADE[1]).read_bytes()[:12] == b"{jutrek job}"


def test_a_full_disk_leaves_nothing_behind(small_place: Path) -> None:
    home = new_library(str(small_place))
    keep(home, start_otio=os.urandom(9 << 20), notes_md=os.urandom(9 << 20))
    with Ledger(home.ledger_path) as ledger:
        with pytest.raises(NotMade, match="no space left"):
            begin(home, ledger)
        assert (lies(home), claims(home), folders(home)) == ([], [], set())
        assert not os.listdir(small_place / ".jutrek/making")


def test_the_next_version(home: Library, ledger: Ledger) -> None:
    begin(home, ledger)
    first = MADE[2]
    put(Path(home.root, first.replace("v01", "V02")), b"theirs")
    found, made = make_next(home, ledger, first, "LM", stop=never())
    assert found.name == "0001_boiler-test_LM_v03.otio"
    copy = Path(home.root, os.path.dirname(first), found.name)
    assert copy.read_bytes() == b"theirs" and stat.S_ISREG(copy.lstat().st_mode)
    assert survey(home, ledger).new == 1
    assert back(home, ledger, made.run) == [] and not copy.exists()
    for path, why in ((f"{JOB}/0001 notes.md", "tells no version"), (f"{JOB}/nothing_v01.x", "there is no")):
        with pytest.raises(NotPossible, match=why):
            make_next(home, ledger, path, stop=never())
    with pytest.raises(NotPossible, match="is there already"):
        called_so(home, ledger, first, os.path.basename(first).replace("v01", "V02"), stop=never())
    with pytest.raises(NotPossible, match="no initials"):
        make_next(home, ledger, first, "../x", stop=never())


def test_hostile_markers_and_journals(home: Library, ledger: Ledger) -> None:
    begin(home, ledger)
    good = Path(home.root, MADE[0]).read_text()
    for number, (old, new) in enumerate([
        ('lands = "1 raw"', 'lands = "../../etc"'), ("format = 1", "format = 2"), ('path = "2 work"', 'path = "/etc"'),
        ("format = 1", "format = 1\n["), ("[blanks]", "[blanks]\ntitel = 3"),
    ]):  # fmt: skip
        put(Path(home.root, f"other/{number}/.job.toml"), good.replace(old, new, 1).encode())
    survey(home, ledger)
    placed, bad = placed_jobs(home, ledger)
    assert ([one.folder for one in placed], len(bad)) == ([JOB], 5)
    put(Path(home.root, "other/copy/.job.toml"), good.encode())
    survey(home, ledger)
    assert "Two folders say that they are job 0001" in placed_jobs(home, ledger)[1][-1]
    assert Inside(("x",)).name == "x"
