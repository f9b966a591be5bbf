"""Libraries from somebody else: whatever stands under `.jutrek/`, nothing outside of them changes."""

from __future__ import annotations

import json
import os
import shutil
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jutrek.desk.finishing import finish, leave_papers
from jutrek.desk.places import places_of, troubles_of
from jutrek.desk.records import files_of, records_of
from jutrek.desk.refiling import Refiler
from jutrek.desk.taking_back import take_back
from jutrek.errors import JutrekError
from jutrek.filing import HouseRules
from jutrek.filing.refiling import Scope
from jutrek.filing.rulebook import load_rules
from jutrek.library import (
    Library,
    add_drive,
    add_place,
    as_place,
    keep_devices,
    keep_numbers,
    known_devices,
    new_library,
    open_library,
    survey,
)
from jutrek.library.kept import keep_beside
from jutrek.library.ledger import Ledger
from jutrek.library.unwanted import declared
from jutrek.sources import known_source
from jutrek.transfer import Control, Listener, bring, recover
from jutrek.transfer.catching_up import catch_up, lacking
from jutrek.transfer.checking import check
from jutrek.transfer.journal import Kind
from jutrek.transfer.lines import _MODELS
from jutrek.transfer.release import keep_certificate, release
from jutrek.transfer.run_log import runs
from jutrek.transfer.storing import Copies, fetch, store
from jutrek.transfer.tray import empty_tray, tray_of
from tests import making
from tests.making import everything, names_below, never, planned, put

EXAMPLES = int(os.environ.get("JUTREK_EXAMPLES", "12"))
"""How many of each kind are tried; a long run says more in the environment."""
PAGES = (
    "library.toml", "places.toml", "drives.toml", "devices.toml", "counters.json", "kept-both.jsonl", "unwanted.jsonl",
    "house-rules.toml", "house-rules.last-good.toml", "lock", "journal/000009-20260101-000000-abcdef.jsonl",
    "partial/0.json", "partial/0.part", "at-work/000001-20260101-000000-abcdef", "journal", "tray", "partial",
    "taken-back", "certificates", "reports",
)  # fmt: skip


class Around:
    """A library with what lies around it."""

    def __init__(self, top: Path) -> None:
        self.top, self.victim, self.root, self.card = top, top / "victim", top / "library", top / "Card A"
        put(self.victim / "thesis", b"mine")
        put(self.victim / "2026" / "05" / "x.jpg", b"mine, too")
        self.root.mkdir()
        put(self.card / "DCIM" / "A.JPG", making.jpeg())
        library = new_library(str(self.root))
        (top / "Tarn").mkdir()
        add_place(library, str(top / "Tarn"))
        (top / "Heron").mkdir()
        self.drive = add_drive(library, str(top / "Heron"))
        with Ledger(library.ledger_path) as ledger:
            bring(planned(library, ledger, [self.card]), library, ledger, stop=never(), places=places_of(library).here)
        put(self.card / "DCIM" / "B.JPG", making.jpeg(seed=2))
        self.seen = everything(self.victim), everything(self.card)

    def do_everything(self) -> None:
        """All that Jutrek does with a library. Each act may be refused, as the faces say it in a sentence."""
        for act in ACTS:
            with suppress(JutrekError, OSError):
                library = open_library(str(self.root))
                with Ledger(library.ledger_path) as ledger:
                    act(self, library, ledger)
        assert (everything(self.victim), everything(self.card)) == self.seen
        assert {path.name for path in self.top.iterdir()} <= {"victim", "library", "Card A", "Tarn", "Heron", "xdg"}


@contextmanager
def around() -> Iterator[Around]:
    """One, in a folder of its own, for one example of many."""
    top = Path(tempfile.mkdtemp())
    before = {name: os.environ.get(name) for name in ("XDG_DATA_HOME", "XDG_STATE_HOME")}
    os.environ.update(XDG_DATA_HOME=str(top / "xdg"), XDG_STATE_HOME=str(top / "xdg"))
    try:
        yield Around(top)
    finally:
        for name, value in before.items():
            os.environ.pop(name, None) if value is None else os.environ.update({name: value})
        shutil.rmtree(top)


def _take_everything_back(_: Around, library: Library, ledger: Ledger) -> None:
    for record in records_of(library):
        with suppress(JutrekError):
            take_back(library, ledger, record.run, places_of(library), stop=never(), listener=Listener())


def _finish(_: Around, library: Library, ledger: Ledger) -> None:
    for run in runs(library):
        with suppress(JutrekError):
            finish(library, ledger, run, HouseRules(), places_of(library), stop=never(), listener=Listener())


def _read_pages(_: Around, library: Library, ledger: Ledger) -> None:
    recover(library, ledger)
    assert all(text.isprintable() for text in troubles_of(library))
    load_rules(library)
    declared(library)
    for run in runs(library):
        with suppress(OSError):
            files_of(library, run)


def _write_pages(_: Around, library: Library, ledger: Ledger) -> None:
    for write in (
        lambda: keep_devices(library, known_devices(library).values()), lambda: keep_numbers(library, {"x": 1}),
        lambda: keep_beside(library, [[b"a" * 16]]),
    ):  # fmt: skip
        with suppress(JutrekError, OSError):
            write()


def _refile(_: Around, library: Library, ledger: Ledger) -> None:
    refiler = Refiler(library, ledger)
    refiler.plan(HouseRules(layout="{kind}", name="x {time}"), Scope(strangers=True), never(), lambda *_: None)
    refiler.go(never(), Listener())


def _check(_: Around, library: Library, ledger: Ledger) -> None:
    survey(library, ledger)
    check(library, ledger, as_place(library), stop=never())
    for place in places_of(library).here:
        catch_up(lacking(library, ledger, place), library, ledger, stop=never())


def _empty(_: Around, library: Library, __: Ledger) -> None:
    empty_tray(tray_of(library), library, places=places_of(library).here, stop=never())


def _bring(one: Around, library: Library, ledger: Ledger) -> None:
    places = places_of(library)
    outcome = bring(planned(library, ledger, [one.card]), library, ledger, stop=never(), places=places.here)
    leave_papers(library, ledger, outcome.run, HouseRules(), places, stop=never(), report=lambda *_: None)


def _store(one: Around, library: Library, ledger: Ledger) -> None:
    survey(library, ledger)
    paths, control = list(ledger.all_files()), Control(never())
    store(paths, library, ledger, one.drive, Copies(ledger, [], [], 1), control=control)
    fetch(list(ledger.stored.all()), library, ledger, one.drive, control=control)


def _release(one: Around, library: Library, ledger: Ledger) -> None:
    with suppress(OSError):
        keep_certificate(release(known_source(str(one.card)), library, ledger, (), stop=never()), library)


ACTS: tuple[Callable[[Around, Library, Ledger], None], ...] = (
    _read_pages, _write_pages, _finish, _take_everything_back, _refile, _check, _empty, _bring, _store, _release,
)  # fmt: skip

# ---- lines of journals ---------------------------------------------------------------------------------------------
PATHS = st.sampled_from([
    "../victim/thesis", "{victim}/thesis", "2026/../../victim/thesis", "out/thesis", "out/2026/05/new.jpg",
    ".jutrek/library.toml", ".jutrek/tray/t/../../../../victim/thesis", ".jutrek/tray/t/2026/05/a.jpg",
    ".jutrek/taken-back/x/2026/a.jpg", "2026/05/20260514_102613.jpg", "2026/05/new.jpg", "2026/05/new.xmp", "a\0b", "",
    "x" * 5000, "2026/05/\u202egpj.exe", "\ud800", 5, None, [],
])  # fmt: skip
NUMBERS = st.sampled_from([0, 1, 4, 9, -1, 2**63, 2**70, 1.5, True, "1", None])
WORDS = st.sampled_from(
    ["", "2026-05-14", "Bridge", "\x1b]0;x\x07", "\u202e", 5, None, {}, [["a", "b"]], "00", "00" * 16]
)
PATH_FIELDS = {"to", "from", "path", "folder", "name", "sidecar", "source", "root", "certificate"}
NUMBER_FIELDS = {"row", "size", "mtime_ns", "number", "upto", "line", "home", "left", "bytes", "twins", "shift"}


LIKELY: dict[str, Any] = {
    "row": 0, "size": 4, "mtime_ns": 1, "line": 1, "upto": 4_194_304, "home": 0, "twins": 0, "number": 1, "shift": 0.0,
    "source": "{victim}/thesis", "root": "{victim}", "to": "2026/05/new.jpg", "from": "2026/05/20260514_102613.jpg",
    "path": "2026/05/20260514_102613.jpg", "folder": "2026", "name": "2026/05/.jutrek-x-0.name", "place": "",
    "xxh3_128": "00" * 16, "quick": "00" * 16, "at": "2026-01-01T00:00:00+00:00", "sidecar": "2026/05/new.xmp",
    "where": {}, "said": [["job", "7"]], "copies": {}, "state": "gone", "sources": ["{victim}"], "places": [],
    "drive": "{drive}",
}  # fmt: skip
"""What an honest line may hold, by field; words elsewhere."""
HEAD_FIELDS = ("name", "root", "place", "takes_back", "source", "at", "sources", "places", "drive")


def _line(entry: str) -> st.SearchStrategy[dict[str, Any]]:
    """A line that is honest but for a field or two."""
    fields = sorted(name.rstrip("?") for name in _MODELS.get(entry, HEAD_FIELDS))
    honest = {name: LIKELY.get(name, "x") for name in fields}
    wrong = st.sampled_from(fields).flatmap(lambda name: st.tuples(st.just(name), _hostile(name)))
    return st.lists(wrong, max_size=2).map(lambda pairs: {"entry": entry, **honest, **dict(pairs)})


def _hostile(name: str) -> st.SearchStrategy[Any]:
    return st.none() | (PATHS if name in PATH_FIELDS else NUMBERS if name in NUMBER_FIELDS else WORDS)


LINES = st.sampled_from([*_MODELS, "nonsense"]).flatmap(_line)
ANNOUNCED = st.sampled_from(["bring", "move"]).flatmap(_line)
TOLD = st.sampled_from(["home", "moved", "copied", "sidecar", "part", "found", "through", "failed"]).flatmap(_line)
HEADS = st.sampled_from([kind.value for kind in Kind]).flatmap(_line)


@pytest.mark.long
@settings(max_examples=EXAMPLES, deadline=None, suppress_health_check=list(HealthCheck))
@given(
    head=HEADS,
    lines=st.tuples(ANNOUNCED, TOLD, TOLD).map(list) | st.lists(LINES, max_size=8),
    tail=st.sampled_from([b"", b"{", b"[" * 50_000, b'"' * 2_000_000]),
)
def test_no_journal_reaches_outside(head: dict[str, Any], lines: list[dict[str, Any]], tail: bytes) -> None:
    """An unfinished journal with any lines, opened, finished, taken back: the library's tree alone may change."""
    with around() as one:
        (one.root / "out").symlink_to(one.victim)
        text = b"".join(json.dumps(line).encode() + b"\n" for line in (head, *lines)) + tail
        text = text.replace(b"{victim}", os.fsencode(one.victim)).replace(b"{drive}", one.drive.id.encode())
        put(one.root / ".jutrek" / "journal" / "000009-20260101-000000-abcdef.jsonl", text)
        one.do_everything()


@pytest.mark.long
def test_a_move_that_was_never_announced_is_none() -> None:
    """Whatever the run says that it does: a file to be brought, said to have moved, is taken back as nothing."""
    for kind in Kind:
        with around() as one:
            name = "000009-20260101-000000-abcdef"
            head = {"entry": kind.value, "run": name, "at": "2026-01-01T00:00:00+00:00"}
            to_bring = {
                "entry": "bring", "row": 0, "source": "/c/a.jpg", "root": "/c", "to": "2026/a.jpg", "size": 1,
                "mtime_ns": 1,
            }  # fmt: skip
            lines = [head, to_bring, {"entry": "moved", "row": 0}]
            text = b"".join(json.dumps(line).encode() + b"\n" for line in lines)
            put(one.root / ".jutrek" / "journal" / f"{name}.jsonl", text)
            one.do_everything()


CRAFTED = (
    {"entry": "move", "row": 0, "from": "../victim/thesis", "to": "2026/05/x.jpg", "size": 4, "mtime_ns": 1},
    {"entry": "move", "row": 0, "from": "2026/05/x.jpg", "to": "../victim/thesis", "size": 4, "mtime_ns": 1},
    {"entry": "sidecar kept", "row": 0, "from": "../victim/new", "to": ".jutrek/x", "size": 1, "mtime_ns": 1},
    {"entry": "bring", "row": 0, "source": "/etc/hostname", "root": "/etc", "to": "2026/05/20260514_102613.jpg",
     "size": 1, "mtime_ns": 1, "sidecar": "../victim/new.xmp"},
    {"entry": "to put aside", "place": "", "from": "../victim/new", "to": ".jutrek/rotted/x/../../library.toml"},
    {"entry": "put aside", "place": "", "from": ".jutrek/tray/t/2026/05/a.jpg", "to": ".jutrek/rotted/x/2026/a.jpg"},
    {"entry": "to put aside", "place": "", "from": ".jutrek/tray/t/a.jpg", "to": ".jutrek/rotted/x/2026/a.jpg"},
    {"entry": "through", "row": 0, "name": "../victim/thesis"},
    {"entry": "home", "row": 0, "xxh3_128": "00" * 16, "mtime_ns": None},
    {"entry": "let go", "place": "", "path": "../victim/thesis", "size": None},
)  # fmt: skip


@pytest.mark.parametrize("line", CRAFTED, ids=lambda line: str(line["entry"]))
@pytest.mark.parametrize("kind", ["refile", "intake", "mend"])
def test_a_line_that_is_not_believed_is_told_and_costs_only_itself(
    kind: str, line: dict[str, Any], tmp_path: Path
) -> None:
    """Its file and its number are said; nothing that rests on it is done; the next intake works."""
    one = Around(tmp_path)
    name = "000009-20260101-000000-abcdef"
    lines = [{"entry": kind, "run": name, "at": "2026-01-01T00:00:00+00:00"}, line]
    put(one.root / ".jutrek" / "journal" / f"{name}.jsonl", b"".join(json.dumps(x).encode() + b"\n" for x in lines))
    library = open_library(str(one.root))
    with Ledger(library.ledger_path) as ledger:
        (leftover,) = recover(library, ledger)
        assert leftover.troubles
        assert leftover.troubles[0].startswith(f"{name}, line 2: ")
        assert bring(planned(library, ledger, [one.card]), library, ledger, stop=never()).home == 1
    one.do_everything()


@pytest.mark.parametrize("entry", ["rotted", "from tomorrow"])
def test_fields_that_an_entry_does_not_have_are_not_read(entry: str, tmp_path: Path) -> None:
    """Nobody checked what they hold."""
    one = Around(tmp_path)
    name = "000009-20260101-000000-abcdef"
    lines = [{"entry": "check"}, {"entry": entry, "place": "", "path": "2026/x.jpg", "why": "x", "size": None}]
    put(one.root / ".jutrek" / "journal" / f"{name}.jsonl", b"".join(json.dumps(x).encode() + b"\n" for x in lines))
    files = files_of(open_library(str(one.root)), name)
    assert [file.size for file in files] == ([0] if entry == "rotted" else [])


# ---- every other page ----------------------------------------------------------------------------------------------
VALUES = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=5) | PATHS,
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner, max_size=3),
    max_leaves=8,
)
TEXTS = st.one_of(
    VALUES.map(lambda value: json.dumps(value, default=str).encode()),
    st.binary(max_size=40),
    st.sampled_from([
        b"[" * 60_000, b'{"a":' * 60_000, b"a = " + b"[" * 60_000, b"a." * 60_000, b"\0" * 1000, b"", b"\n" * 10_000,
        b'[[place]]\nid = 5\nname = "x"\nroot = "../victim"\n', b'[[device]]\nkey = 5\n', b'{"last": {"folder:": "x"}}',
        b'[[place]]\nid = "a0b1c2d3-0000-4000-8000-000000000000"\nname = "\\u202e"\nroot = "/"\nbelow = "../.."\n',
        b'format = 1\nid = "a0b1c2d3-0000-4000-8000-000000000000"\nname = "\\u001b[31m"\n', b'["zz"]\n["00"]\n',
        b'{"format": 2, "size": 10, "quick": "00", "parts": [[4194304, "00"], ["x", 1]]}',
    ]),
)  # fmt: skip


@pytest.mark.long
@settings(max_examples=EXAMPLES, deadline=None, suppress_health_check=list(HealthCheck))
@given(page=st.sampled_from(PAGES), text=TEXTS)
def test_no_page_reaches_outside_or_ends_in_a_traceback(page: str, text: bytes) -> None:
    """Wrong types, sizes and nesting in each of them, one at a time."""
    with around() as one:
        path = one.root / ".jutrek" / page
        if not path.is_dir():
            put(path, text)
        one.do_everything()


def _link(path: Path, one: Around) -> None:
    path.symlink_to(one.victim if path.suffix == "" else one.victim / "thesis")


def _far_link(path: Path, one: Around) -> None:
    path.symlink_to(one.victim / "nothing here yet")


def _pipe(path: Path, _: Around) -> None:
    os.mkfifo(path)


def _folder(path: Path, _: Around) -> None:
    path.mkdir()


def _huge(path: Path, _: Around) -> None:
    with path.open("wb") as file:
        file.truncate(10**12)


MAKERS = (_link, _far_link, _pipe, _folder, _huge)
PLACES = [*PAGES, "", "../2026", "../2026/05", "../ascmhl"]
ALL = [(page, make) for page in PLACES for make in MAKERS if make is not _huge or "/.." not in f"/{page}"]

LINKED = ("journal", "", "../2026", "places.toml", "lock", "partial", "tray")
SOME = [(page, MAKERS[number % 4]) for number, page in enumerate(PLACES)] + [(page, _link) for page in LINKED]


@pytest.mark.parametrize(("page", "make"), ALL if EXAMPLES > 12 else SOME)
def test_nothing_in_a_page_s_place_reaches_outside(
    page: str, make: Callable[[Path, Around], None], tmp_path: Path
) -> None:
    """Links, pipes, folders and files without end where a page or a folder is meant; also for the own folder itself."""
    one = Around(tmp_path)
    path = Path(os.path.normpath(one.root / ".jutrek" / page))
    path.parent.mkdir(parents=True, exist_ok=True)
    if path.is_dir():
        shutil.rmtree(path)
    path.unlink(missing_ok=True)
    make(path, one)
    one.do_everything()


def test_a_year_that_links_to_the_card_is_not_written_through(tmp_path: Path) -> None:
    """Bringing home refuses in a sentence; what the link leads to is as it was; such a copy proves nothing."""
    one = Around(tmp_path)
    shutil.rmtree(one.root / "2026")
    (one.root / "2026").symlink_to(one.card)
    library = open_library(str(one.root))
    with Ledger(library.ledger_path) as ledger:
        outcome = bring(planned(library, ledger, [one.card]), library, ledger, stop=never())
        assert outcome.home == 0
        assert "links in a library are not followed" in outcome.failed[0].why
        certificate = release(known_source(str(one.card)), library, ledger, (), stop=never())
        assert not certificate.home
    assert everything(one.card) == one.seen[1]
    assert names_below(str(one.root)) == set()
