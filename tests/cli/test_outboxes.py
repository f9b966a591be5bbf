"""Outboxes on the command line, with a real library: what they hold follows it."""

from __future__ import annotations

import json
import os
from pathlib import Path

import pytest
from PIL import Image

from jutrek.desk.outbox_run import keep_in_step
from jutrek.desk.outboxes import outboxes
from jutrek.errors import Stopped
from jutrek.library import Library
from tests import making
from tests.cli.calling import jutrek
from tests.making import never, put
from tests.outboxes.test_made import clip


@pytest.fixture
def home(library: Library) -> Path:
    root = Path(library.root)
    put(root / "2026" / "a.jpg", making.jpeg(seed=1))
    put(root / "2026" / "b.dng", making.dng(seed=2))
    put(root / "2026" / "c.wav", making.wav())
    put(root / "2026" / "a.xmp", b'<x:xmpmeta xmlns:x="adobe:ns:meta/"><r:RDF xmlns:r="http://www.w3.org/1999/02/22-rdf-'
        b'syntax-ns#"><r:Description xmlns:dc="http://purl.org/dc/elements/1.1/"><dc:subject><r:Bag><r:li>bridge</r:li>'
        b'</r:Bag></dc:subject><dc:creator><r:Seq><r:li>Ilvar</r:li></r:Seq></dc:creator></r:Description></r:RDF>'
        b'</x:xmpmeta>')  # fmt: skip
    return root


def test_it_follows_what_it_holds(home: Path, tmp_path: Path) -> None:
    box = tmp_path / "box"
    assert "no outbox" in jutrek("outbox", "sync", code=2).stderr
    assert "an outbox: stills" in jutrek("outbox", "add", box, "stills", "-l", home, "--longest", 64).stderr
    assert "2 small copies now, 2 made" in jutrek("outbox", "sync", box).stderr
    assert sorted(os.listdir(box)) == ["a.jpg", "b.jpg"]
    put(box / "mine.txt", b"mine")
    (home / "2026" / "b.dng").unlink()
    jutrek("view", "keep", "Bridge", "with keyword bridge", "-l", home)
    said = jutrek(
        "outbox", "add", box, "bridge", "-l", home, "--with", "keywords", "--with", "owner", "--names", "{date} bridge"
    ).stderr
    assert "as before: the view “Bridge”" in said
    (line,) = map(json.loads, jutrek("watch", "--once", "--json").stdout.splitlines())
    assert (line["event"], line["outbox"], line["holds"], line["made"], line["removed"]) == (
        "in-step",
        str(box),
        1,
        1,
        1,
    )
    assert sorted(os.listdir(box)) == ["20260514 bridge.jpg", "mine.txt"]
    with Image.open(box / "20260514 bridge.jpg") as copy:
        assert b"<rdf:li>bridge<" in copy.info["xmp"] and b"<rdf:li>Ilvar<" in copy.info["xmp"]
    (line,) = map(json.loads, jutrek("outbox", "list", "--json").stdout.splitlines())
    assert (line["view"], line["sentence"], line["with"]) == ("Bridge", None, ["dates", "keywords", "owner"])
    jutrek("view", "remove", "Bridge", "-l", home)
    assert "no kept view “Bridge”" in jutrek("outbox", "sync", code=1).stderr
    assert len(os.listdir(box)) == 2
    assert "1 removed" in jutrek("outbox", "remove", box, "--copies").stderr
    assert os.listdir(box) == ["mine.txt"]


def test_one_that_was_removed_meanwhile_is_not_filled_again(home: Path, tmp_path: Path) -> None:
    jutrek("outbox", "add", tmp_path / "box", "stills", "-l", home)
    (entry,) = outboxes()[0]
    jutrek("outbox", "remove", tmp_path / "box", "--copies")
    with pytest.raises(Stopped):
        keep_in_step(entry, stop=never())
    assert os.listdir(tmp_path / "box") == []


def test_where_none_can_be(home: Path, tmp_path: Path) -> None:
    put(tmp_path / "phone" / "x.jpg", b"")
    jutrek("inbox", "add", tmp_path / "phone", "-l", home)
    jutrek("outbox", "add", tmp_path / "box", "stills", "-l", home)
    for folder, why in (
        (home / "box", "library"), (tmp_path, "library"), (tmp_path / "phone", "it is the inbox"),
        (tmp_path / "phone" / "out", "inbox"), (tmp_path / "box" / "in", "the outbox"),
    ):  # fmt: skip
        assert why in jutrek("outbox", "add", folder, "stills", "-l", home, code=2).stderr
    assert "it is the outbox" in jutrek("inbox", "add", tmp_path / "box", "-l", home, code=2).stderr
    assert "no shelf, no kept view, and no sentence" in jutrek("outbox", "add", "x", "stils", "-l", home, code=2).stderr
    assert not (home / "box").exists() and not Path("x").exists()


def test_a_folder_that_is_away_is_not_made_again(home: Path, tmp_path: Path) -> None:
    jutrek("outbox", "add", tmp_path / "stick" / "box", "stills", "-l", home)
    jutrek("outbox", "sync")
    os.rename(tmp_path / "stick", tmp_path / "away")
    assert "is not there" in jutrek("outbox", "sync", code=1).stderr
    assert not (tmp_path / "stick").exists()


def test_small_clips_are_made_and_said_anew(home: Path, tmp_path: Path) -> None:
    clip(home / "2026" / "d.mp4")
    for says, told in (("dates", "1 made"), ("nothing", "1 said anew")):
        jutrek("outbox", "add", tmp_path / "box", "clips", "-l", home, "--clips", "small-clip", "--with", says)
        assert f"1 small copy now, {told}" in jutrek("outbox", "sync").stderr
    assert os.listdir(tmp_path / "box") == ["d.mp4"]
