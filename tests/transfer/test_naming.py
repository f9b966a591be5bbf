"""Final names are only ever created, never replaced, on every kind of file system; nothing leaves its tree."""

from __future__ import annotations

import errno
import os
import threading
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jutrek.disk import Inside, Outside, Realm, Tree, calls, inside, naming
from jutrek.disk.inside import _COMMON, _inside
from tests.making import everything, put


@pytest.fixture(params=["here", "exfat"])
def place(request: pytest.FixtureRequest, tmp_path: Path) -> Path:
    """A folder on this machine's file system, and one on exFAT."""
    if request.param == "here":
        return tmp_path
    folder = Path(request.getfixturevalue("exfat")) / f"t{os.urandom(4).hex()}"
    folder.mkdir()
    return folder


def give(temporary: Path, final: Path) -> None:
    """Give a name within one folder."""
    Tree(str(temporary.parent)).give_name(Inside((temporary.name,)), Inside((final.name,)))


@pytest.mark.parametrize("way", naming.WAYS)
def test_each_way_creates_and_never_replaces(
    way: Callable[[naming.Entry, naming.Entry], None], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A free name is given; a taken one is left with its content, and the temporary stays."""
    monkeypatch.setattr(naming, "WAYS", (way,))
    temporary, final = put(tmp_path / "t", b"new"), tmp_path / "final"
    give(temporary, final)
    assert (final.read_bytes(), temporary.exists()) == (b"new", False)
    again = put(tmp_path / "t", b"newer")
    with pytest.raises(FileExistsError):
        give(again, final)
    assert (final.read_bytes(), again.read_bytes()) == (b"new", b"newer")


def test_the_best_way_that_works_is_taken(place: Path) -> None:
    """On exFAT both better ways are refused by the system, and the name is given all the same."""
    give(put(place / "t", b"new"), place / "final")
    assert (place / "final").read_bytes() == b"new"
    with pytest.raises(FileExistsError):
        give(put(place / "t", b"newer"), place / "final")
    assert (place / "final").read_bytes() == b"new"


def test_a_name_that_was_reserved_is_given_back(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Also when somebody takes the file away in between; what was renamed in spite of an error stays."""
    monkeypatch.setattr(naming, "WAYS", (naming.reserve_and_rename,))
    rename = os.rename

    def vanishing(old: str, *rest: object, **folders: int) -> None:
        os.unlink(old, dir_fd=folders["src_dir_fd"])
        rename(old, *rest, **folders)  # type: ignore[arg-type]

    def unsure(*names: str, **folders: int) -> None:
        rename(*names, **folders)
        raise OSError(errno.EIO, "unsure")

    with monkeypatch.context() as now:
        now.setattr(naming.os, "rename", vanishing)
        with pytest.raises(FileNotFoundError):
            give(put(tmp_path / "t", b"new"), tmp_path / "final")
    assert os.listdir(tmp_path) == []
    with monkeypatch.context() as now:
        now.setattr(naming.os, "rename", unsure)
        for data in (b"new", b""):
            with pytest.raises(OSError, match="unsure"):
                give(put(tmp_path / "t", data), tmp_path / f"final {len(data)}")
    assert {path.name: path.read_bytes() for path in tmp_path.iterdir()} == {"final 0": b"", "final 3": b"new"}


def test_exfat_knows_no_case(exfat: Path) -> None:
    """A name that differs only by case is taken there, and is told from a second link of one file."""
    put(exfat / "Name.jpg", b"old")
    with pytest.raises(FileExistsError):
        give(put(exfat / "t", b"new"), exfat / "NAME.JPG")
    assert (exfat / "Name.jpg").read_bytes() == b"old"
    assert Tree(str(exfat)).one_entry(inside("Name.jpg"), inside("NAME.JPG"))
    assert not Tree(str(exfat)).one_entry(inside("Name.jpg"), inside("t"))


def test_a_race_has_one_winner(place: Path) -> None:
    """Of many that want one name at once, one gets it; nobody's bytes are lost."""
    contents = [str(number).encode() for number in range(8)]
    temporaries = [put(place / f"t{number}", content) for number, content in enumerate(contents)]
    barrier, won = threading.Barrier(8), []

    def run(number: int) -> None:
        barrier.wait()
        try:
            give(temporaries[number], place / "final")
            won.append(number)
        except FileExistsError:
            pass

    threads = [threading.Thread(target=run, args=(number,)) for number in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(won) == 1
    assert (place / "final").read_bytes() == contents[won[0]]
    assert sum(temporary.exists() for temporary in temporaries) == 7


@pytest.mark.parametrize("call", ["open", "write", "fsync", "link"])
def test_a_small_write_is_whole_or_not_there(call: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A failure at any call leaves the folder empty."""
    fired = []

    def fail(*_: object, **__: object) -> None:
        fired.append(call)
        raise OSError(errno.EIO, os.strerror(errno.EIO))

    if call == "link":
        monkeypatch.setattr(naming, "WAYS", (fail,))
    else:
        monkeypatch.setattr(os, call, fail)
    with pytest.raises(OSError, match="Input/output error"):
        Tree(str(tmp_path)).write_new(inside("x.toml"), b"data")
    monkeypatch.undo()
    assert fired
    assert not [name for name in os.listdir(tmp_path) if name != "xdg"]


def test_a_small_write_replaces_nothing(tmp_path: Path) -> None:
    """An existing file stays, and no temporary is left."""
    put(tmp_path / "x.toml", b"old")
    with pytest.raises(FileExistsError):
        Tree(str(tmp_path)).write_new(inside("x.toml"), b"new")
    assert (tmp_path / "x.toml").read_bytes() == b"old"
    assert [name for name in os.listdir(tmp_path) if name.startswith(".jutrek")] == []


def test_folders_are_made_once_and_kept(tmp_path: Path) -> None:
    """Missing parents are made, the library itself never; a file in the way is an error of the system."""
    tree = Tree(str(tmp_path))
    for _ in range(2):
        tree.make_folders(inside("2026/05"))
    assert (tmp_path / "2026" / "05").is_dir()
    put(tmp_path / "2027", b"a file")
    with pytest.raises(OSError, match="Not a directory"):
        tree.make_folders(inside("2027/05"))
    with pytest.raises(OSError, match="No such device"):
        Tree(str(tmp_path / "gone")).make_folders(inside("2026"))
    assert not (tmp_path / "gone").exists()


@pytest.mark.parametrize("happened", [False, True])
def test_a_reservation_that_cannot_be_used_is_given_back(
    happened: bool, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A rename that fails leaves no empty file under the final name; one that happened all the same is never undone."""
    temporary = put(tmp_path / "t", b"" if happened else b"new")
    fired = []
    rename = os.rename

    def fail(*names: str, **folders: int) -> None:
        fired.append(True)
        if happened:
            rename(*names, **folders)
        raise OSError(errno.EIO, os.strerror(errno.EIO))

    monkeypatch.setattr(naming, "WAYS", (naming.reserve_and_rename,))
    monkeypatch.setattr(os, "rename", fail)
    with pytest.raises(OSError, match="Input/output error"):
        give(temporary, tmp_path / "final")
    assert fired
    assert (tmp_path / "final").exists() == happened
    assert temporary.exists() != happened


TEXTS = ("../victim/thesis", "/etc/passwd", "2026/../../victim/x", "2026//a", "./a", "a\0b", "", "x" * 300, "a/" * 3000,
         ".jutrek/x", ".JUTREK/x", ".jutrek. /x", ".ju\u200dtrek/x", "ascmhl/x", "AscMHL. /x", "2026/.jutrek-1.part",
         "2026/.Trash-0/x", "\ud800/x")  # fmt: skip


@pytest.mark.parametrize("text", [*TEXTS, None, 5, b"2026/a"], ids=repr)
def test_text_that_leads_out_or_to_what_is_ours_is_no_path(text: object) -> None:
    """Whatever a file says: out of the tree, into the own folder by any spelling, into temporaries and trashes."""
    with pytest.raises(Outside):
        inside(text)


@given(st.text(st.sampled_from(list("ab./\\~ \0\n\u202e")) | st.characters(), max_size=24))
def test_what_is_a_path_stays_in_its_tree(text: str) -> None:
    """Every text is refused, or is itself, relative, and without a step up."""
    for realm in Realm:
        try:
            path = inside(text, realm)
        except (Outside, UnicodeEncodeError):
            continue
        assert str(path) == text
        assert not os.path.isabs(text)
        assert os.path.normpath(os.path.join("/tree", text)).startswith("/tree/")


@given(st.lists(st.sampled_from(["ascmhl", "ASCMHL", ".", " ", "/", "a", "1 ", "_-", "(2)", ".jutrek", "é", "\n"])))
def test_the_short_look_at_common_paths_lets_nothing_through(pieces: list[str]) -> None:
    """What it takes, looking at each part takes as well, and makes the same of it."""
    text = "".join(pieces)
    if _COMMON.fullmatch(text):
        for realm in Realm:
            assert _inside(text, realm) == inside(text, realm)


def test_a_folder_that_is_held_answers_for_its_own_names_only(tmp_path: Path) -> None:
    """Not for a path of another folder that ends alike, and it follows no link."""
    put(tmp_path / "05" / "a.jpg", b"a")
    (tmp_path / "05" / "link").symlink_to(tmp_path / "05" / "a.jpg")
    with Tree(str(tmp_path)).hold(inside("05")) as folder:
        (tmp_path / "05").rename(tmp_path / "06")
        assert folder.lstat(inside("05/a.jpg")).st_size == 1
        for text in ("06/a.jpg", "a.jpg", "05/b/a.jpg"):
            with pytest.raises(Outside):
                folder.found(inside(text))
        with pytest.raises(OSError, match="symbolic links"):
            folder.open(inside("05/link"), os.O_RDONLY)
        with pytest.raises(Outside):
            folder.remove_own(inside("05/a.jpg"))
    assert (tmp_path / "06" / "a.jpg").exists()


@pytest.mark.parametrize("kernel", [True, False], ids=["openat2", "stepwise"])
def test_links_are_never_followed(kernel: bool, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A folder that links out of the tree, a link as the last part, the magic ones of /proc: nothing changes there."""
    if not kernel:
        monkeypatch.setattr(calls, "_HAS_OPENAT2", False)
    victim, root = tmp_path / "victim", tmp_path / "library"
    put(victim / "thesis", b"mine")
    put(root / "2026" / "a.jpg", b"a")
    put(root / "2026" / "t", b"t")
    (root / "2026" / "out").symlink_to(victim)
    (root / "2026" / "link").symlink_to(victim / "thesis")
    (root / "magic").symlink_to("/proc/self/root")
    before, tree = everything(victim), Tree(str(root))
    for text in ("2026/out/thesis", "2026/link/x", f"magic{victim}/thesis"):
        path = inside(text)
        for act in (
            lambda path=path: os.close(tree.open(path, os.O_WRONLY | os.O_CREAT)),
            lambda path=path: tree.write_own(path, b"x"), lambda path=path: tree.write_new(path, b"x"),
            lambda path=path: tree.give_name(inside("2026/t"), path), lambda path=path: tree.make_folders(path.folder),
            lambda path=path: tree.remove(path, still=os.stat(victim / "thesis")), lambda path=path: tree.lstat(path),
            lambda path=path: tree.read_own(path), lambda path=path: tree.remove_folder(path),
        ):  # fmt: skip
            with pytest.raises(OSError):
                act()
    with pytest.raises(OSError):
        tree.read_own(inside("2026/link"))
    assert everything(victim) == before
    assert (root / "2026" / "t").exists()


def test_a_name_is_only_removed_while_it_is_the_file_that_was_seen(tmp_path: Path) -> None:
    """Another file under the name stays."""
    tree, path = Tree(str(tmp_path)), inside("a.jpg")
    put(tmp_path / "a.jpg", b"seen")
    seen = tree.lstat(path)
    put(tmp_path / "b.jpg", b"other")
    os.replace(tmp_path / "b.jpg", tmp_path / "a.jpg")
    with pytest.raises(OSError, match="another file by now"):
        tree.remove(path, still=seen)
    assert (tmp_path / "a.jpg").read_bytes() == b"other"
