"""Renaming within a place: through a third name where two differ by case or form only, and what it leaves behind."""

from __future__ import annotations

import os
import time
from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence

from jutrek.disk import Inside, Tree, folded
from jutrek.library import ProofMark

_FORGETTING = (0.2, 0.4, 0.8)
"""Seconds between tries to give a name that is free by its folder's list, and taken by the kernel's memory."""


def rename_through(
    tree: Tree, old: Inside, between: Inside, new: Inside, reached: Callable[[], None] = lambda: None
) -> None:
    """Rename a file through a third name. Where the new name cannot be given, it gets the old one back.

    Args:
        reached: called when the file bears the third name.

    Raises:
        OSError: when a name could not be given.
    """
    tree.give_name(old, between)
    reached()
    try:
        named_at_last(tree, between, new)
    except OSError:
        tree.give_name(between, old)
        raise


def named_at_last(tree: Tree, between: Inside, new: Inside) -> None:
    """Give the new name. A kernel that remembers it under the old spelling (FUSE does, for a second) is waited for."""
    for wait in (*_FORGETTING, None):
        try:
            tree.give_name(between, new)
            return
        except FileExistsError:
            listed = {folded(name) for name in tree.names(new.folder)}
            if wait is None or folded(new.name) in listed:
                raise
            time.sleep(wait)


def named_somehow(tree: Tree, between: Inside, *names: Inside) -> Inside:
    """Give what bears a name in between the first of some names that is free, else one told apart from the first.

    Returns:
        The name that it bears now.

    Raises:
        OSError: when none could be given.
    """
    stem, ending = os.path.splitext(names[0].name)
    others = (names[0].beside(f"{stem}_{number}{ending}") for number in range(2, 1000))
    for name in (*names, *others):
        try:
            named_at_last(tree, between, name)
        except FileExistsError:
            continue
        return name
    raise FileExistsError(str(names[0]))


def named_folder_at_last(tree: Tree, between: Inside, new: Inside, old: Inside) -> None:
    """Give a folder its new name, as soon as the kernel forgets the old spelling; else its old one again.

    Raises:
        FileExistsError: when the new name is another's.
    """
    for wait in (*_FORGETTING, None):
        try:
            tree.rename_folder(between, new)
            return
        except FileExistsError:
            if wait is None or folded(new.name) in {folded(name) for name in tree.names(new.folder)}:
                tree.rename_folder(between, old)
                raise
            time.sleep(wait)


def in_turn(moves: Sequence[tuple[str, str]]) -> frozenset[int]:
    """Which of some moves go to a path that another of them leaves, or leave one that another goes to; by number.

    Args:
        moves: paths before and after. Such as differ by case or form only count as one.
    """
    olds, news = ([folded(path) for path in paths] for paths in zip(*moves, strict=True)) if moves else ([], [])
    if set(olds).isdisjoint(news):
        return frozenset()
    left: defaultdict[str, set[int]] = defaultdict(set)
    taken: defaultdict[str, set[int]] = defaultdict(set)
    for number, (old, new) in enumerate(zip(olds, news, strict=True)):
        left[old].add(number)
        taken[new].add(number)
    return frozenset(
        number
        for number, (old, new) in enumerate(zip(olds, news, strict=True))
        if left.get(new, set()) - {number} or taken.get(old, set()) - {number}
    )


def remove_emptied(tree: Tree, folder: Inside | None) -> Iterator[Inside]:
    """Remove a folder that is empty, and those above it that are then; yields those that went."""
    while folder is not None:
        try:
            tree.remove_folder(folder)
            tree.sync_folder(folder.folder)
        except OSError:
            return
        yield folder
        folder = folder.folder


def after_renaming(mark: ProofMark, before: os.stat_result, after: os.stat_result) -> ProofMark:
    """The mark of a file that was renamed: it tells the very file still, if that was untouched until then."""
    if not mark.is_same(before) or not mark.fits(after):
        return mark._replace(inode=0, ctime_ns=0)
    return mark._replace(inode=after.st_ino, ctime_ns=after.st_ctime_ns)
