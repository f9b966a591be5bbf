"""The last numbers that the library's counters gave: `LIBRARY/.jutrek/counters.json`.

A number that was given once is not given again, also when its capture is gone since, unless the intake that it was
given in is taken back, or a person says so. So a page that is damaged stops whatever needs a number, until it is put
right or taken away.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import TYPE_CHECKING

from jutrek.disk import own

if TYPE_CHECKING:
    from jutrek.library.identity import Library

_PAGE = own("counters.json")
NOT_KEPT = "intake"
"""What is counted within an intake outlasts it only in the names that it gave."""


def numbers_given(library: Library) -> dict[str, int]:
    """The last number by what was counted within, such as `folder:2026/05`.

    Raises:
        PageBroken: when the page is damaged.
    """
    from jutrek.library import pages
    from jutrek.library.pagefiles import json_page

    try:
        page = json_page(library.tree, _PAGE)
    except FileNotFoundError:
        return {}
    return dict(pages.checked(pages.COUNTERS, page, library.tree.at(_PAGE))["last"])


def keep_numbers(library: Library, given: Mapping[str, int]) -> None:
    """Remember numbers that were given, where they are higher than the last ones.

    Raises:
        OSError: when they cannot be written.
        PageBroken: when the page is damaged.
    """
    kept = {key: number for key, number in given.items() if key != NOT_KEPT}
    if not kept:
        return
    known = numbers_given(library)
    merged = {key: max(number, known.get(key, 0)) for key, number in {**known, **kept}.items()}
    if merged != known:
        _write(library, merged)


def set_number(library: Library, key: str, last: int | None) -> None:
    """Say which number a counter gave last; None lets it begin anew.

    Raises:
        OSError: when it cannot be written.
        PageBroken: when the page is damaged.
    """
    known = numbers_given(library)
    _write(library, {**{other: number for other, number in known.items() if other != key},
                     **({} if last is None else {key: last})})  # fmt: skip


def give_back_numbers(library: Library, given: Mapping[str, tuple[int, int]]) -> list[str]:
    """Take numbers back that were given last, so that they are given again.

    Args:
        given: by what was counted within, the first and the last number of those that are free again.

    Returns:
        What was counted within, where nothing had come after.

    Raises:
        OSError: when it cannot be written.
        PageBroken: when the page is damaged.
    """
    known = numbers_given(library)
    free = {key: first - 1 for key, (first, last) in given.items() if known.get(key) == last}
    if free:
        _write(library, known | free)
    return sorted(free)


def _write(library: Library, last: Mapping[str, int]) -> None:
    page = {"format": 1, "last": dict(sorted(last.items()))}
    library.tree.write_own(_PAGE, json.dumps(page, indent=1).encode())
