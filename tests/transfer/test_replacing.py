"""A finished file takes another one's name, and nothing that somebody else wrote there is lost."""

from __future__ import annotations

import errno
import os
from pathlib import Path

import pytest

from jutrek.disk import Realm, Tree, held, inside

_OLD, _NEW = inside("a.jpg"), inside(".jutrek-0123abcd.part", Realm.OWN)


def replaced(folder: Path, *, meanwhile: bytes = b"") -> None:
    (folder / "a.jpg").write_bytes(b"old")
    (folder / str(_NEW)).write_bytes(b"new")
    with Tree(str(folder)).hold(None) as it:
        still = it.lstat(_OLD)
        if meanwhile:
            written(folder, meanwhile)
        it.replace(_NEW, _OLD, still=still)


def written(folder: Path, data: bytes) -> None:
    (folder / "theirs").write_bytes(data)
    os.replace(folder / "theirs", folder / "a.jpg")


def test_it_has_the_name_and_the_old_one_is_gone(tmp_path: Path) -> None:
    replaced(tmp_path)
    assert [(one.name, one.read_bytes()) for one in tmp_path.iterdir()] == [("a.jpg", b"new")]


@pytest.mark.parametrize("by_exchange", [True, False])
@pytest.mark.parametrize("when", ["before", "in the very moment"])
def test_what_somebody_wrote_meanwhile_keeps_the_name(
    when: str, by_exchange: bool, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Where names can't be exchanged, as far as it was there when it was looked at last."""
    real, left = held.rename_exchange, ["theirs"]

    def exchange(one: tuple[int, str], other: tuple[int, str]) -> None:
        if not by_exchange:
            raise OSError(errno.EINVAL, os.strerror(errno.EINVAL))
        if when != "before" and left:
            left.clear()
            written(tmp_path, b"theirs")
        real(one, other)

    monkeypatch.setattr(held, "rename_exchange", exchange)
    if when != "before" and not by_exchange:
        replaced(tmp_path)
        assert [(one.name, one.read_bytes()) for one in tmp_path.iterdir()] == [("a.jpg", b"new")]
        return
    with pytest.raises(OSError, match="another file") as caught:
        replaced(tmp_path, meanwhile=b"theirs" if when == "before" else b"")
    assert caught.value.errno == errno.ESTALE
    assert (tmp_path / "a.jpg").read_bytes() == b"theirs"
    assert (tmp_path / str(_NEW)).read_bytes() == b"new"
