"""Numbers of jobs: each is given once, whoever asks at once.

Whoever takes a number writes a small record of its own under `LIBRARY/.jutrek/job-numbers/SERIES/WITHIN/N.json`, which
replaces nothing: the file system gives it to one of all who ask, also where two stations do not see each other's
locks. WITHIN is the number as it is written, without the part that counts: `{year}-{counter:3}` counts anew each year.
A number is given back by removing its record, as long as nothing was made with it; one below the last given number
that has no record is a gap. Whoever starts a job with a number that was kept for later writes `N.used.json` beside the
record, which replaces nothing either.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator, Mapping
from datetime import date
from itertools import pairwise
from typing import TYPE_CHECKING, NamedTuple

from jutrek.disk import own
from jutrek.errors import NotPossible, PageBroken, reason
from jutrek.filing.names import legal, legal_folder
from jutrek.filing.pieces import COUNTER_SIGN, counted_by
from jutrek.jobs.filling import COUNTED, Filled, plain_filled

if TYPE_CHECKING:
    from jutrek.disk import Inside
    from jutrek.filing.pattern import Pattern
    from jutrek.library import Library

_FOLDER = own("job-numbers")
_MOST_DIGITS = 9
_LARGEST = 10**_MOST_DIGITS - 1
_USED = ".used.json"


class Claim(NamedTuple):
    """A number that was given.

    Attributes:
        series: that counts it.
        within: what it is counted within: as it is written, without the part that counts.
        number: the part that counts.
        written: the number as it is written, such as `0118`.
        job: the id of the job that it was given to; empty where it is only kept.
        run: the run that took it.
        at: when, UTC, ISO 8601.
        who: took it, and on which machine.
    """

    series: str
    within: str
    number: int
    written: str
    job: str = ""
    run: str = ""
    at: str = ""
    who: str = ""


class Series(NamedTuple):
    """Where numbers are counted, on one day.

    Attributes:
        name: of the series.
        text: the number as it is written, the sign of a counter where it counts.
        digits: how many digits the part that counts has at least.
        first: the first number.
    """

    name: str
    text: str
    digits: int
    first: int

    @property
    def within(self) -> str:
        """What is counted within, as a folder is called."""
        return legal(legal_folder(self.text.replace(COUNTER_SIGN, "+").replace("/", "-"))) or "+"

    def written(self, number: int) -> str:
        """A number as it is written."""
        return self.text.replace(COUNTER_SIGN, str(number).rjust(self.digits, "0"))

    def number(self, written: str) -> int | None:
        """The part that counts of a number as it is written; None for one that this series does not write."""
        before, _, behind = self.text.partition(COUNTER_SIGN)
        digits = written[len(before) : len(written) - len(behind)]
        ours = written.startswith(before) and written.endswith(behind)
        if not ours or not (digits.isascii() and digits.isdigit() and len(digits) <= _MOST_DIGITS):
            return None
        return int(digits) if self.written(int(digits)) == written else None


def series_on(name: str, pattern: Pattern, day: date, language: str = "en") -> Series:
    """A series as it counts on a day; the pattern is one that `shelf.number_pattern` gave."""
    digits, first = next(counted_by(piece.form) for piece in pattern.pieces() if piece.name == COUNTED)
    return Series(name, plain_filled(pattern, Filled({}, day, language)), digits, 1 if first is None else first)


def claims(library: Library, series: str = "") -> list[Claim]:
    """The numbers that were given, of all series or of one. A record that is damaged still keeps its number."""
    return [claim for claim, _ in _records(library) if not series or claim.series == series]


def next_number(library: Library, series: Series) -> int:
    """The number that the next job gets, unless somebody takes it before."""
    given = _given(library, series)
    return max([series.first - 1, *given]) + 1


def gaps(given: Iterable[Claim]) -> list[str]:
    """Numbers between the first of a series that was given and the last, which no record keeps: spans, as written.

    Args:
        given: all that were given.
    """
    by: dict[tuple[str, str], list[Claim]] = {}
    for one in given:
        by.setdefault((one.series, one.within), []).append(one)
    found = []
    for some in by.values():
        for before, after in pairwise(sorted(some, key=lambda one: one.number)):
            if after.number > before.number + 1:
                first, last = (_like(before, number) for number in (before.number + 1, after.number - 1))
                found.append(first if first == last else f"{first} to {last}")
    return found


def _like(one: Claim, number: int) -> str:
    """Another number as one of its series is written."""
    digits = str(one.number)
    found = re.search(rf"0*{digits}(?!.*{digits})", one.written)
    width = len(found[0]) if found else len(digits)
    return one.within.replace("+", str(number).rjust(width, "0"))


def claim(
    library: Library, series: Series, *, job: str, run: str, at: str, who: str, wanted: int | None = None,
    written: str = "",
) -> Claim:  # fmt: skip
    """Take a number for good: the next free one, or one that is wanted.

    Args:
        library: the library.
        series: where it is counted.
        job: the id of the job that it is for; empty to keep it for later.
        run: the run that takes it.
        at: when, UTC.
        who: takes it.
        wanted: the number; None for the next.
        written: as it is written; empty for how the series writes it.

    Raises:
        NotPossible: when the wanted one is given already, or the record can't be written.
    """
    number = next_number(library, series) if wanted is None else wanted
    try:
        library.tree.make_folders(_FOLDER.below(series.name, series.within))
        while number <= _LARGEST:
            made = Claim(series.name, series.within, number, written or series.written(number), job, run, at, who)
            page = {"format": 1, "written": made.written, "job": job, "run": run, "at": at, "who": who}
            try:
                library.tree.write_new(_path(made), json.dumps(page).encode())
            except FileExistsError:
                if wanted is None:
                    number += 1
                    continue
                if not _is_kept(library, made):
                    raise NotPossible(library.root, f"the number {made.written} is given already") from None
                _use(library, made, page)
            return made
    except OSError as error:
        raise NotPossible(library.root, f"no number can be taken: {reason(error)}") from error
    raise NotPossible(library.root, "no number is left")


def claim_again(library: Library, one: Claim) -> bool:
    """Take a number again that was given back. Whether it was free.

    Raises:
        NotPossible: when its record can't be written.
    """
    series = Series(one.series, one.within.replace("+", COUNTER_SIGN), 1, 1)
    try:
        claim(library, series, job=one.job, run=one.run, at=one.at, who=one.who, wanted=one.number, written=one.written)
    except NotPossible:
        if one.number in _given(library, series):
            return False
        raise
    return True


def give_back(library: Library, one: Claim) -> None:
    """Give a number back. Whoever calls knows that nothing was made with it. One that was kept before is kept again.

    Raises:
        OSError: when its record can't be removed.
    """
    used = _path(one, used=True)
    library.tree.remove_own(used if library.tree.found(used) is not None else _path(one))


def _is_kept(library: Library, one: Claim) -> bool:
    """Whether a number was taken for a job that nobody has started yet."""
    found = next((claim for claim, sound in _records(library) if claim[:3] == one[:3] and sound), None)
    return found is not None and not found.job


def _use(library: Library, one: Claim, page: Mapping[str, object]) -> None:
    try:
        library.tree.write_new(_path(one, used=True), json.dumps(page).encode())
    except FileExistsError:
        raise NotPossible(library.root, f"the number {one.written} is given already") from None


def _path(one: Claim, *, used: bool = False) -> Inside:
    return _FOLDER.below(one.series, one.within, f"{one.number}{_USED if used else '.json'}")


def _given(library: Library, series: Series) -> set[int]:
    folder = _FOLDER.below(series.name, series.within)
    try:
        names = library.tree.names(folder)
    except (FileNotFoundError, NotADirectoryError):
        return set()
    except OSError as error:
        raise NotPossible(library.root, f"its numbers can't be read: {reason(error)}") from error
    return {number for name in names if (number := _number(name)) is not None}


def _number(name: str) -> int | None:
    stem = name.removesuffix(_USED).removesuffix(".json")
    is_one = stem != name and stem.isascii() and stem.isdigit() and len(stem) <= _MOST_DIGITS
    return int(stem) if is_one else None


def _records(library: Library) -> Iterator[tuple[Claim, bool]]:
    """All records, and whether each is sound."""
    tree = library.tree
    try:
        found = list(tree.files_below(_FOLDER))
    except OSError as error:
        raise NotPossible(library.root, f"its numbers can't be read: {reason(error)}") from error
    used = {path for path in found if path.name.endswith(_USED)}
    for path in found:
        number = _number(path.name)
        if number is None or len(path.parts) != 5 or path.beside(f"{number}{_USED}") in used - {path}:
            continue
        series, within = path.parts[2:4]
        try:
            page = _checked(json.loads(tree.read_own(path, 1 << 16)))
            yield Claim(series, within, number, **page), True
        except (OSError, ValueError, PageBroken, RecursionError):
            yield Claim(series, within, number, within.replace("+", str(number))), False


def _checked(page: object) -> Mapping[str, str]:
    names = ("written", "job", "run", "at", "who")
    if not isinstance(page, dict) or not all(isinstance(page.get(name), str) for name in names):
        raise ValueError
    return {name: page[name][:200] for name in names}
