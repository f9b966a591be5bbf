"""Moving a file to another file system within a library: a proven copy, and only then the original goes.

A folder of a library may be a mount, a subvolume, or a branch of a pool of disks; a rename ends there. So

    1. the file is copied beside its new name under a temporary one, synced, and read back from the medium;
    2. the journal tells its fingerprint, and is synced;
    3. the copy gets the new name, which replaces nothing, and its folder is synced;
    4. the original goes, if it is what was read.

A kill leaves the original, or both; the next start reads both, and if they are what the journal tells, the original
goes. A temporary that is left is removed.
"""

from __future__ import annotations

import os
from collections.abc import Callable

from jutrek.disk import FileStamp, Inside, Tree
from jutrek.errors import NotMoved
from jutrek.transfer.medium import BLOCK, aligned_buffer, new_hash, open_regular, read_back


def move_across(
    tree: Tree, old: Inside, new: Inside, temporary: Inside, tell: Callable[[bytes], None], step: Callable[[str], None]
) -> None:
    """Move a file. Whatever goes wrong before the copy has its name leaves nothing behind.

    Args:
        tree: of the library.
        old: where the file lies.
        new: the name that it is to have.
        temporary: a name beside that.
        tell: writes the fingerprint down, durably, before the copy gets its name.
        step: hears of each step.

    Raises:
        FileExistsError: when the new name is taken.
        OSError: when a disk does not do it; ENOSPC where it is full.
        NotMoved: when the file changed meanwhile, or its copy reads back differently.
    """
    source, seen = open_regular(tree, old)
    stamp = FileStamp.of(seen)
    try:
        full = copy(tree, source, temporary, seen)
        step("copied across")
        found, _ = read_back(tree, temporary, aligned_buffer())
        if found != full:
            raise NotMoved(tree.at(old), "its copy read back differently")
        if not stamp.unchanged(os.fstat(source)):
            raise NotMoved(tree.at(old), "it changed while it was copied")
        tell(full)
        tree.give_name(temporary, new)
    except BaseException:
        tree.remove_own(temporary)
        raise
    finally:
        os.close(source)
    tree.sync_folder(new.folder)
    step("named across")
    tree.remove(old, still=seen)


def copy(
    tree: Tree, source: int, new: Inside, seen: os.stat_result | None, look: Callable[[int], None] = lambda size: None
) -> bytes:
    """Copy a file to a new one, durably.

    Args:
        tree: that the new one lies in.
        source: the descriptor of the file.
        new: the name of the new one.
        seen: whose times it gets; None to let it have its own.
        look: told the bytes of every block before it is written; it may raise.

    Returns:
        The fingerprint of what was read.
    """
    hashed = new_hash()
    fd = tree.open(new, os.O_RDWR | os.O_CREAT | os.O_EXCL)
    try:
        while block := os.read(source, BLOCK):
            look(len(block))
            hashed.update(memoryview(block))
            view = memoryview(block)
            while view:
                view = view[os.write(fd, view) :]
        if seen is not None:
            os.utime(fd, ns=(seen.st_atime_ns, seen.st_mtime_ns))
        os.fsync(fd)
    finally:
        os.close(fd)
    return hashed.digest()


def settle_across(tree: Tree, old: Inside, new: Inside, full: bytes) -> None:
    """Finish what was cut off behind the second step: where both are what was proven, the original goes.

    Raises:
        OSError: when one of them cannot be looked at.
    """
    here, there = tree.found(old), tree.found(new)
    if here is None or there is None or os.path.samestat(here, there):
        return
    buffer = aligned_buffer()
    if all(read_back(tree, path, buffer)[0] == full for path in (new, old)):
        tree.remove(old, still=here)
        tree.sync_folder(old.folder)
