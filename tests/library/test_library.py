"""The library's identity, its ledger and its survey."""

from __future__ import annotations

import os
import sqlite3
from contextlib import closing
from pathlib import Path

import pytest

from jutrek.errors import LedgerUnusable, LibraryMissing, SourceRefused
from jutrek.formats.splices import Splice
from jutrek.library import Filed, HomeFile, Library, Survey, apart, open_library, survey
from jutrek.library.amended import Amended
from jutrek.library.ledger import Ledger
from jutrek.library.rows import put_rows
from tests.making import everything, put


def test_an_identity_is_given_once_and_stays(library: Library) -> None:
    """Opening again, also under another path, finds the same identity."""
    moved = library.root + "-moved"
    os.rename(library.root, moved)
    again = open_library(moved)
    assert again.id == library.id
    assert Path(again.own, "library.toml").read_text().startswith("# This folder is a Jutrek library")
    assert os.listdir(again.own) == ["library.toml"]


@pytest.mark.parametrize("kind", ["missing", "file", "damaged", "newer"])
def test_what_is_no_library_is_refused_with_a_sentence(kind: str, tmp_path: Path) -> None:
    """A folder that does not exist is not made: its drive may not be connected."""
    root = tmp_path / "place"
    if kind == "file":
        put(root, b"x")
    elif kind != "missing":
        text = 'format = 99\nid = "x"' if kind == "newer" else "format = "
        put(root / ".jutrek" / "library.toml", text.encode())
    with pytest.raises(LibraryMissing, match="can't be used"):
        open_library(str(root))
    assert root.exists() is (kind != "missing")


def test_sources_and_library_are_kept_apart(library: Library, tmp_path: Path) -> None:
    """A source inside the library is refused, also through a link; a library inside a source is left out."""
    inside = Path(library.root) / "2026"
    inside.mkdir()
    (tmp_path / "link").symlink_to(inside)
    for source in (library.root, str(inside), str(tmp_path / "link")):
        with pytest.raises(SourceRefused):
            apart(source, library)
    assert apart(str(tmp_path), library) == {library.root}
    assert apart(str(tmp_path / "library-2"), library) == frozenset()


def test_a_survey_learns_what_changed_and_moves_nothing(library: Library, ledger: Ledger) -> None:
    """New, changed and gone files are told; what is unchanged keeps its fingerprints."""
    root = Path(library.root)
    put(root / "2024" / "a.jpg", b"aaaa")
    put(root / "old mess" / "b.jpg", b"bb")
    put(root / ".jutrek-dead-1.part", b"half")
    put(root / ".Trash-0" / "c.jpg", b"c")
    before = everything(root)
    assert survey(library, ledger) == Survey(2, came=("2024/a.jpg", "old mess/b.jpg"))
    ledger.put([HomeFile("2024/a.jpg", 4, (root / "2024/a.jpg").stat().st_mtime_ns, b"q" * 16, b"f" * 16)])
    assert survey(library, ledger) == Survey(2)
    assert ledger.of_sizes([4])[0].full == b"f" * 16
    assert {path: entry[0] for path, entry in everything(root).items()} == {p: e[0] for p, e in before.items()}
    put(root / "2024" / "a.jpg", b"aaaaa")
    (root / "old mess" / "b.jpg").unlink()
    assert survey(library, ledger) == Survey(1, altered=("2024/a.jpg",), lost=("old mess/b.jpg",))
    assert ledger.of_sizes([4, 2]) == []
    assert ledger.of_sizes([5])[0].full is None


def test_paths_of_any_bytes_survive_the_ledger(ledger: Ledger) -> None:
    """Undecodable names come back as they were."""
    path = os.fsdecode(b"2026/\xff\n.jpg")
    ledger.put([HomeFile(path, 1, 2)])
    assert ledger.all_files() == {path: (1, 2)}
    ledger.drop([path])
    assert ledger.all_files() == {}


def test_a_damaged_ledger_is_put_beside_and_begun_anew(library: Library) -> None:
    """The ledger is a cache: its loss costs a survey, nothing else."""
    put(Path(library.ledger_path), b"this is no database at all" * 100)
    put(Path(library.root) / "a.jpg", b"a")
    with Ledger(library.ledger_path) as ledger:
        assert survey(library, ledger).new == 1
    assert Path(library.ledger_path + ".damaged-1").exists()


def test_a_ledger_that_cannot_be_used_says_so(library: Library) -> None:
    """A folder in the ledger's place is an error of its own class."""
    Path(library.ledger_path).mkdir(parents=True)
    with pytest.raises(LedgerUnusable, match="Your files are not affected"):
        Ledger(library.ledger_path)


def test_many_sizes_are_asked_for_at_once(ledger: Ledger) -> None:
    """More sizes than one statement takes variables for."""
    ledger.put([HomeFile(f"f{number}", number, 0) for number in range(1, 1300)])
    assert len(ledger.of_sizes(range(1, 5000))) == 1299


def test_fingerprints_of_sources_are_kept(ledger: Ledger) -> None:
    """By path, the last one counts; many paths are asked for at once."""
    ledger.put_source_prints([("/card/a", 1, 2, b"q", b"f"), ("/card/b", 1, 2, b"q", b"f")])
    ledger.put_source_prints([("/card/a", 3, 4, b"r", b"g")])
    assert ledger.source_prints(["/card/a", *(f"/card/{number}" for number in range(1200))]) == {
        "/card/a": (3, 4, b"r", b"g")
    }


def test_by_what_a_file_was_filed_is_kept(ledger: Ledger) -> None:
    """Everything of it, also when it moves, until the file is gone; shoots are offered, the latest first."""
    filed = [
        (
            f"2026/0{month}/x.jpg",
            Filed(
                f"2026-0{month}-14T10:26:13", 3600.0, "arlen|m2|", "Ilvar", words, f"2026-0{month}-13",
                (("client", "Velmora line"), ("job", "26-014")), "DCIM/\udcff/1.JPG",
            ),
        )
        for month, words in ((4, "Depot"), (5, "Bridge survey"), (6, "Depot"), (3, ""))
    ]  # fmt: skip
    ledger.put([HomeFile(path, 1, 1) for path, _ in filed])
    ledger.put_filed(filed)
    assert ledger.filed("2026/05/x.jpg") == filed[1][1]
    ledger.move([("2026/05/x.jpg", "2026/05/y.jpg")])
    assert ledger.all_filed() == {path.replace("05/x", "05/y"): one for path, one in filed}
    assert "2026/05/y.jpg" in ledger.all_files()
    ledger.move([("2026/05/y.jpg", "2026/05/x.jpg")])
    assert ledger.shoot_words() == ["Depot", "Bridge survey"]
    ledger.drop(["2026/05/x.jpg"])
    assert ledger.filed("2026/05/x.jpg") is None


@pytest.mark.parametrize(
    ("version", "lacks", "learns"), [(1, ["moments", "origins"], True), (7, ["by_hand", "descriptions"], False)]
)
def test_a_ledger_of_before_is_carried_on(version: int, lacks: list[str], learns: bool, library: Library) -> None:
    """What it holds stays; it learns the rest from journals, unless they would only tell it what was once."""
    with Ledger(library.ledger_path) as ledger:
        ledger.put([HomeFile("a.jpg", 1, 1)])
    raw = sqlite3.connect(library.ledger_path)
    for table in lacks:
        raw.execute(f"DROP TABLE {table}")
    raw.execute("UPDATE about SET value = ? WHERE key = 'version'", (str(version),))
    raw.commit()
    raw.close()
    with Ledger(library.ledger_path) as ledger:
        assert ledger.is_new is learns
        assert ledger.given() == {}
        assert ledger.all_files() == {"a.jpg": (1, 1)}
        assert ledger.shoot_words() == []
    raw = sqlite3.connect(library.ledger_path)
    assert raw.execute("SELECT value FROM about WHERE key = 'version'").fetchall() == [("13",)]
    raw.close()


def test_what_was_turned_is_known_to_a_ledger_that_calls_it_amended(library: Library) -> None:
    with Ledger(library.ledger_path) as ledger:
        ledger.put([HomeFile("a.jpg", 9, 1, None, b"now")])
    raw = sqlite3.connect(library.ledger_path)
    raw.execute("CREATE TABLE turned (path BLOB PRIMARY KEY, size, quick, was, now, patches)")
    row = b"a.jpg", 9, b"q", b"was", b"now", '[[3, "06", "01"]]'
    raw.execute("INSERT INTO turned VALUES (?, ?, ?, ?, ?, ?)", row)
    raw.execute("UPDATE about SET value = '12' WHERE key = 'version'")
    raw.commit()
    raw.close()
    for _ in range(2):
        with Ledger(library.ledger_path) as ledger:
            assert ledger.amended.standing() == [Amended("a.jpg", 9, b"q", b"was", b"now", (Splice(3, b"\6", b"\1"),))]


def test_many_rows_go_in_whole_and_the_last_of_a_key_stays() -> None:
    """Whatever their number, they are in their order; values are values, whatever they say."""
    for count in (0, 1, 15, 17, 256, 300, 600):
        with closing(sqlite3.connect(":memory:")) as connection:
            connection.execute("CREATE TABLE files (path BLOB PRIMARY KEY, size INTEGER)")
            rows = [(b"%d'); DROP TABLE files" % number, number) for number in range(count)]
            put_rows(connection, "files", [*((path, -1) for path, _ in rows), *rows])
            assert connection.execute("SELECT path, size FROM files ORDER BY size").fetchall() == rows
