"""The columns of a real library: read once, current with the disk, built again where anything does not fit."""

from __future__ import annotations

import os
import threading
from datetime import datetime
from pathlib import Path

import numpy as np
import pytest

from jutrek.errors import NotPossible, PageBroken
from jutrek.filing import HouseRules
from jutrek.formats import read
from jutrek.library import Library, ProofMark
from jutrek.library.ledger import Ledger
from jutrek.views import looking, snapshot
from jutrek.views.columns import Columns
from jutrek.views.kept import keep_view, keep_weeks, kept_views, remove_view, view_called
from jutrek.views.narrowing import held
from jutrek.views.sentence import parse
from jutrek.views.walking import SentenceError
from tests import making

SIDECAR = (
    '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
    '<rdf:Description rdf:about="" xmlns:xmp="http://ns.adobe.com/xap/1.0/" xmp:Label="R" xmp:Rating="{}">'
    '<dc:subject xmlns:dc="http://purl.org/dc/elements/1.1/"><rdf:Bag><rdf:li>bridge</rdf:li></rdf:Bag></dc:subject>'
    "</rdf:Description></rdf:RDF></x:xmpmeta>"
)


@pytest.fixture
def root(library: Library) -> Path:
    """A library of a few captures, some of them with odd names."""
    root = Path(library.root)
    folder = root / "2026" / "05"
    folder.mkdir(parents=True)
    (folder / "a.dng").write_bytes(making.dng())
    (folder / "a.dng.xmp").write_text(SIDECAR.format("4"))
    (folder / "b.jpg").write_bytes(making.jpeg(datetime(2020, 12, 28), seed=2))
    (folder / "b.xmp").write_text(SIDECAR.format("0"))
    (folder / "IMG_20210103_235959.jpg").write_bytes(making.jpeg(None, seed=3))
    (root / "plain.jpg").write_bytes(making.jpeg(None, seed=4))
    (root / os.fsdecode(b"\xe9te \xff")).mkdir()
    (root / os.fsdecode(b"\xe9te \xff") / "line\nbreak.jpg").write_bytes(making.jpeg(seed=5))
    (root / "notes.txt").write_text("none of them")
    return root


def look(library: Library, ledger: Ledger) -> Columns:
    return looking.current(library, ledger, HouseRules, stop=threading.Event())


def found(columns: Columns, text: str) -> list[str]:
    return columns.paths(np.flatnonzero(held(columns, parse(text))))


def test_what_files_say_is_found(root: Path, library: Library, ledger: Ledger) -> None:
    columns = look(library, ledger)
    odd = os.fsdecode(b"\xe9te \xff/line\nbreak.jpg")
    assert found(columns, "stills by Arlen on 14 May 2026") == ["2026/05/a.dng", odd]
    assert columns.companions(0) == ["2026/05/b.xmp"]
    assert found(columns, "week 53 of 2020") == ["2026/05/b.jpg", "2026/05/IMG_20210103_235959.jpg"]
    assert found(columns, "with a doubtful date") == ["2026/05/IMG_20210103_235959.jpg"]
    # The time of the file itself dates nothing.
    assert found(columns, "undated") == ["plain.jpg"]
    assert found(columns, "marked R with keyword Bridge rated 4") == ["2026/05/a.dng"]
    assert found(columns, "marked R unrated") == ["2026/05/b.jpg"]
    assert found(columns, '"line"') == [odd]


def test_a_look_reads_only_what_changed(
    root: Path, library: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch
) -> None:
    look(library, ledger)
    asked: list[str] = []
    monkeypatch.setattr("jutrek.views.describing.read", lambda path: asked.append(path) or read(path))
    monkeypatch.setattr(looking, "survey", lambda *_, **__: pytest.fail("nothing changed on the disk"))
    assert look(library, ledger).count == 5
    ledger.put_proofs([ProofMark("tarn", "2026/05/b.jpg", os.path.getsize(root / "2026/05/b.jpg"), 1, b"x", "")])
    assert found(look(library, ledger), "in one backup") == []
    ledger.put_proofs([ProofMark("tarn", "2026/05/b.xmp", os.path.getsize(root / "2026/05/b.xmp"), 1, b"x", "")])
    assert found(look(library, ledger), "in one backup") == ["2026/05/b.jpg"]
    assert not asked


def test_what_changes_outside_is_seen_at_the_next_look(root: Path, library: Library, ledger: Ledger) -> None:
    look(library, ledger)
    (root / "2026" / "05" / "b.jpg").rename(root / "b.jpg")
    (root / "2026" / "05" / "a.dng").unlink()
    (root / "new").mkdir()
    assert found(look(library, ledger), "in any December") == ["b.jpg"]
    assert found(look(library, ledger), "as dng") == []
    (root / "new" / "c.jpg").write_bytes(making.jpeg(datetime(2026, 6, 1), seed=9))
    assert found(look(library, ledger), "in June 2026") == ["new/c.jpg"]


@pytest.mark.parametrize("how", ["cut", "no zip", "codes", "starts", "newer", "lists"])
def test_a_damaged_snapshot_is_as_good_as_none(
    how: str, root: Path, library: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = look(library, ledger)
    path = Path(snapshot.path_of(ledger.path))
    kept = snapshot.kept(ledger.path)
    assert kept is not None
    columns = kept.columns
    if how == "cut":
        path.write_bytes(path.read_bytes()[:-200])
    elif how == "no zip":
        path.write_bytes(b"PK nothing")
    elif how == "codes":
        columns.folder[0] = 99
    elif how == "starts":
        columns.name_starts[1] = 10**9
    elif how == "newer":
        monkeypatch.setattr(snapshot, "_VERSION", 99)
    else:
        columns = columns.__class__(**{name: getattr(columns, name) for name in columns.__slots__} | {
            "size": columns.size[:-1]
        })  # fmt: skip
    if how not in ("cut", "no zip"):
        snapshot.keep(columns, ledger.path, kept.state, kept.folders)
        monkeypatch.undo() if how == "newer" else None
    assert snapshot.kept(ledger.path) is None
    assert look(library, ledger).paths(range(5)) == before.paths(range(5))


def test_views_are_kept_for_every_station(library: Library) -> None:
    assert keep_view(library, " Spring  stills ", "Stills IN may 2026", "Report") is None
    assert view_called(library, "spring STILLS").sentence == "stills in May 2026"
    assert keep_weeks(library, 2020) == (53, 0)
    assert keep_weeks(library, 2020) == (0, 53)
    assert view_called(library, "week 53 of 2020").sentence == "in week 53 of 2020"
    was = keep_view(library, "Spring stills", "clips")
    assert was is not None
    assert (was.sentence, view_called(library, "Spring stills").group) == ("stills in May 2026", "Report")
    assert remove_view(library, "Week 53 of 2020").sentence == "in week 53 of 2020"
    assert len(kept_views(library)[0]) == 53
    with pytest.raises(NotPossible, match="no kept view"):
        remove_view(library, "Week 53 of 2020")
    with pytest.raises(SentenceError):
        keep_view(library, "x", "no sentence")
    with pytest.raises(NotPossible, match="1 to 200 signs"):
        keep_view(library, "a\x1bb", "stills")


def test_a_page_of_views_that_was_edited_works_as_far_as_it_can(library: Library) -> None:
    page = Path(library.own) / "views.toml"
    text = '# mine\n[[view]]\nname = "Good"\nsentence = "stills"\n'
    text += '[[view]]\nname = 3\n[[view]]\nname = "Bad"\nsentence = "x"\n'
    page.write_text(text)
    kept, bad = kept_views(library)
    assert [(one.name, bool(one.trouble)) for one in kept] == [("Good", False), ("Bad", True)]
    assert len(bad) == 1
    assert "view 2" in bad[0]
    keep_view(library, "More", "clips")
    assert page.read_text().startswith(text)
    page.write_text("view = [")
    with pytest.raises(PageBroken):
        keep_view(library, "More", "clips")
    assert page.read_text() == "view = ["
    assert kept_views(library)[1]
