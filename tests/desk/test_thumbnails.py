"""Thumbnails on the disk: made once, shared with other programs, and not believed where they say otherwise."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from PIL import Image
from PIL.PngImagePlugin import PngInfo

from jutrek.desk import pictures, thumbnails
from jutrek.formats import Kind
from tests import making

SIZE = (84, 56)


@pytest.fixture
def picture(tmp_path: Path) -> Path:
    path = tmp_path / os.fsdecode(b"a \xff picture.jpg")
    path.write_bytes(making.jpeg(seed=4))
    return path


def kept_at(path: Path) -> Path:
    of = thumbnails.original(str(path))
    assert of is not None
    return Path(os.environ["XDG_CACHE_HOME"]) / "thumbnails" / "normal" / of.name


def test_a_thumbnail_is_made_once_by_the_standard(picture: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    first = pictures.home_picture(str(picture), Kind.STILL, SIZE)
    assert first is not None
    assert (first.width, first.height) == SIZE
    with Image.open(kept_at(picture)) as kept:
        said = dict(kept.text)  # type: ignore[attr-defined]
    assert said["Thumb::URI"] == f"file://{picture.parent}/a%20%FF%20picture.jpg"
    assert said["Thumb::MTime"] == str(int(picture.stat().st_mtime))
    assert kept_at(picture).parent.stat().st_mode & 0o777 == 0o700
    monkeypatch.setattr(pictures, "whole_picture", lambda *_: pytest.fail("it is there already"))
    assert pictures.home_picture(str(picture), Kind.STILL, SIZE) is not None


def test_one_that_is_of_an_earlier_file_is_made_again(picture: Path) -> None:
    pictures.home_picture(str(picture), Kind.STILL, SIZE)
    before = kept_at(picture).read_bytes()
    picture.write_bytes(making.jpeg(seed=9))
    os.utime(picture, (1_700_000_000, 1_700_000_000))
    pictures.home_picture(str(picture), Kind.STILL, SIZE)
    assert kept_at(picture).read_bytes() != before


@pytest.mark.parametrize("lie", ["another", "large", "no png", "cut", "empty"])
def test_one_that_lies_or_is_broken_is_not_used(picture: Path, lie: str) -> None:
    right = pictures.home_picture(str(picture), Kind.STILL, SIZE)
    path, of = kept_at(picture), thumbnails.original(str(picture))
    assert of is not None
    said = PngInfo()
    said.add_text("Thumb::URI", "file:///else" if lie == "another" else of.uri)
    said.add_text("Thumb::MTime", str(of.mtime))
    size = (3000, 3000) if lie == "large" else (64, 64)
    Image.new("RGB", size, "red").save(path, "PNG", pnginfo=said)
    if lie in ("no png", "empty"):
        path.write_bytes(b"GIF89a" if lie == "no png" else b"")
    elif lie == "cut":
        path.write_bytes(path.read_bytes()[:-40])
    assert pictures.home_picture(str(picture), Kind.STILL, SIZE) == right


def test_what_cannot_be_shown_is_remembered_until_it_changes(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    broken = tmp_path / "broken.jpg"
    broken.write_bytes(b"\xff\xd8\xff\xe0 nothing")
    assert pictures.home_picture(str(broken), Kind.STILL, SIZE) is None
    with monkeypatch.context() as patch:
        patch.setattr(pictures, "whole_picture", lambda *_: pytest.fail("it was tried before"))
        assert pictures.home_picture(str(broken), Kind.STILL, SIZE) is None
    broken.write_bytes(making.jpeg())
    os.utime(broken, (1_700_000_000, 1_700_000_000))
    assert pictures.home_picture(str(broken), Kind.STILL, SIZE) is not None


def test_a_cache_that_cannot_be_written_is_no_trouble(picture: Path) -> None:
    Path(os.environ["XDG_CACHE_HOME"]).mkdir(parents=True, exist_ok=True)
    (Path(os.environ["XDG_CACHE_HOME"]) / "thumbnails").write_text("a file")
    assert pictures.home_picture(str(picture), Kind.STILL, SIZE) is not None
    assert pictures.home_picture(str(picture.parent / "gone.jpg"), Kind.STILL, SIZE) is None
