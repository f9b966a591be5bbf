"""Trying house rules on the captures at hand, while they are being composed. A thread of its own, no Qt.

What is tried is what a library that holds nothing yet would look like, with the very code that plans an intake. The
first screen is told at once, the whole with its figures after it; a newer wish ends the work on an older one.
"""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field

from jutrek.captures import Capture, developed_beside_raw
from jutrek.desk.pool import Line
from jutrek.errors import OurFault, shown
from jutrek.filing import Extensions, HouseRules, Undated
from jutrek.filing.arrival import KEYWORD, Arrival
from jutrek.filing.collecting import uncollected
from jutrek.filing.counting import Numbers
from jutrek.filing.facts import Facts, below
from jutrek.filing.folders import Ends, Folders, ends_of
from jutrek.filing.names import suffix_of, units
from jutrek.filing.naming import Mark, Named, Namer, Piles, Wish, marks_of
from jutrek.filing.pattern import Piece
from jutrek.filing.pieces import writer
from jutrek.filing.rules import names_device
from jutrek.wording.tree import WordTree

FIRST = 60
"""Captures that are tried before all the others: more than a screen holds."""
_LOOK_EVERY = 1000
_LINES = 3
_WORDS = {
    Mark.CLASH: "got a suffix",
    Mark.EARLY: "before the day starts",
    Mark.UNDATED: "no date",
    Mark.SHORTENED: "shortened",
    Mark.CHANGED: "signs replaced",
}
SAME_SHOT = "same shot as above"
"""What is said of a companion, which bears the name of the file above it."""
_LOUD = frozenset({Mark.CLASH, Mark.UNDATED, Mark.SHORTENED, Mark.CHANGED})


@dataclass(frozen=True, slots=True)
class TriedRow:
    """One file: where it comes from, where it would go, what it would be called, and what is to be said about that.

    Attributes:
        loud: whether what is said asks to be looked at.
    """

    source: str
    folder: str
    name: str
    note: str = ""
    loud: bool = False


@dataclass(frozen=True, slots=True)
class Tally:
    """Figures of a whole trial: captures, those that get a name, that were told apart, that have no date to trust.

    Attributes:
        longest: the longest path, in UTF-16 units.
        odd: captures whose name had to be shortened, or had signs replaced.
    """

    captures: int
    fit: int
    clash: int
    undated: int
    longest: int
    odd: int

    @property
    def fit_words(self) -> str:
        """How many names fit as they were wished."""
        return "all names fit" if self.fit == self.captures else f"{self.fit:,} of {self.captures:,} names fit"


@dataclass(frozen=True, slots=True)
class Trial:
    """What rules would make of the captures at hand.

    Attributes:
        rules: the rules that were tried.
        facts: of the captures; of the first ones only until all are tried.
        named: what each is called; None for one that stays on its source.
        tally: the figures, or None until all are tried.
        folders: every folder with the captures in it, ordered by path; empty until all are tried.
        tree: the same with the folders that they are in, behind each of these, and with what is below counted in.
        standing_out: numbers of rows that ask to be looked at.
    """

    rules: HouseRules
    facts: Sequence[Facts]
    named: Sequence[Named | None]
    wishes: Sequence[Wish]
    rows: Sequence[tuple[int, int]]
    tally: Tally | None = None
    folders: tuple[tuple[str, int], ...] = ()
    tree: tuple[tuple[str, int], ...] = ()
    standing_out: Sequence[int] = field(default_factory=tuple)

    def row(self, number: int) -> TriedRow:
        """One row of the table, as shown."""
        at, file = self.rows[number]
        facts, named = self.facts[at], self.named[at]
        read = facts.capture.files[file]
        original = facts.original if file == 0 else below(read.file.path, read.file.root)
        letter = f"{facts.device.letter}: " if facts.device and facts.device.letter else ""
        source = letter + shown(original)
        if named is None:
            return TriedRow(
                source, "stays on its source", shown(os.path.basename(original)), _WORDS[Mark.UNDATED], True
            )
        name = named.stem + _ends(facts.capture, self.rules.extensions).endings[file]
        if file:
            is_apart = named.developed and read.file.path in developed_beside_raw(facts.capture)
            return TriedRow(source, named.developed if is_apart else named.folder, name, SAME_SHOT)
        marks = [Mark.UNDATED] if not facts.capture.trusted else list(marks_of(facts, self.wishes[at], named))
        note = ", ".join([*(_WORDS[mark] for mark in marks), *_lacking(facts, self.rules)])
        return TriedRow(source, named.folder, name, note, not _LOUD.isdisjoint(marks))


def said_of(facts: Sequence[Facts], rules: HouseRules) -> list[str]:
    """What would be said of captures on arrival: of the first of each kind of words, a line; three at most.

    Rules that can't be used say nothing.
    """
    arrival = Arrival(rules.says, WordTree(), rules.setting(filed=False), names_device)
    seen: set[tuple[str, ...]] = set()
    lines: list[str] = []
    for one in facts[:FIRST]:
        says = arrival.of(one)
        if says and (values := tuple(value for _, value in says)) not in seen and len(lines) < _LINES:
            seen.add(values)
            texts = [f"{name} {value}" for name, value in says if name != KEYWORD]
            words = ", ".join(value for name, value in says if name == KEYWORD)
            told = " · ".join([*texts, *([f"keywords {words}"] if words else [])])
            lines.append(f"{os.path.basename(one.original)}: {told}")
    return lines


def _lacking(facts: Facts, rules: HouseRules) -> Iterator[str]:
    """What its patterns ask for outside of their optional parts, and a capture does not have: the joiner goes, too."""
    patterns = rules.patterns()[rules.scheme_of(facts)]
    for pattern, setting in zip(patterns, (rules.setting(filed=True), rules.setting(filed=False)), strict=True):
        for part in pattern.parts:
            if isinstance(part, Piece) and not writer(part.name, part.form)(facts, setting):
                yield f"without {part.name.replace('-', ' ')}"


def _with_those_above(folders: Iterable[tuple[str, int]]) -> tuple[tuple[str, int], ...]:
    """Folders with their captures, those below counted in, each behind the folder that it is in."""
    counts: dict[str, int] = {}
    for path, count in folders:
        parts = path.split("/")
        for depth in range(1, len(parts) + 1):
            above = "/".join(parts[:depth])
            counts[above] = counts.get(above, 0) + count
    return tuple(sorted(counts.items(), key=lambda one: one[0].split("/")))


def _ends(capture: Capture, extensions: Extensions) -> Ends:
    tails = capture.tails or ("",) * len(capture.files)
    return ends_of(
        tuple(
            tail + suffix_of(os.path.basename(read.file.path), read.reading.format, extensions)
            for read, tail in zip(capture.files, tails, strict=True)
        )
    )


class Bench:
    """Captures prepared for trials: what does not change from one pattern to the next is kept."""

    def __init__(self, facts: Sequence[Facts]) -> None:
        self.facts = facts
        self.rows = [(at, file) for at, one in enumerate(facts) for file in range(len(one.capture.files))]
        self._first_rows = [number for number, (_, file) in enumerate(self.rows) if not file]
        self._captures = [one.capture for one in facts]
        self._trusted = [one.trusted for one in self._captures]
        self._piles: Piles | None = None
        self._ends: list[Ends] = []
        self._extensions: Extensions | None = None

    def tried(self, rules: HouseRules, is_old: Callable[[], bool] = lambda: False) -> Trial | None:
        """Try rules on all captures; None where a newer wish came in between.

        Args:
            is_old: whether the result is not wanted any more.
        """
        if self._piles is None or not self._piles.fit(self.facts, rules):
            self._piles = Piles(self.facts, rules)
        if self._extensions is not rules.extensions:
            self._ends = [_ends(capture, rules.extensions) for capture in self._captures]
            self._extensions = rules.extensions
        wishes = self._piles.wishes(rules)
        namer = Namer(Folders(""), Numbers(rules.counter_per, rules.counter_start, {}), self._captures, rules)
        stays = rules.undated is Undated.STAY
        named: list[Named | None] = []
        standing_out: list[int] = []
        for at, (facts, wish, ends, trusted) in enumerate(
            zip(self.facts, wishes, self._ends, self._trusted, strict=True)
        ):
            if not at % _LOOK_EVERY and is_old():
                return None
            if trusted:
                if wish.developed:
                    one = namer.name_apart(facts, wish, zip(facts.capture.files, ends.endings, strict=True))
                else:
                    one = namer.name(facts, wish, ends)
                named.append(one)
                if wish.changed or (one.stem != wish.stem and not wish.digits):
                    standing_out.append(at)
            else:
                named.append(None if stays else namer.name(facts, namer.unfiled(facts.capture), ends))
                standing_out.append(at)
        return self._summed(rules, wishes, named, standing_out)

    def _summed(
        self, rules: HouseRules, wishes: list[Wish], named: list[Named | None], standing_out: list[int]
    ) -> Trial:
        there = [(one, ends.longest) for one, ends in zip(named, self._ends, strict=True) if one is not None]
        folders = Counter([one.folder for one, _ in there])
        widths = {folder: units(folder) + 1 for folder in folders}
        folders += Counter([one.developed for one, _ in there if one.developed])
        clash = undated = 0
        for at in standing_out:
            one = named[at]
            if not self._trusted[at]:
                undated += 1
            elif one is not None:
                clash += Mark.CLASH in marks_of(self.facts[at], wishes[at], one)
        tally = Tally(
            captures=len(named),
            fit=len(there),
            clash=clash,
            undated=undated,
            longest=max((widths[one.folder] + units(one.stem) + ending for one, ending in there), default=0),
            odd=len(standing_out) - undated - clash,
        )
        first_rows = [self._first_rows[at] for at in standing_out]
        shown, tree = tuple(sorted(folders.items())), _with_those_above(folders.items())
        return Trial(rules, self.facts, named, wishes, self.rows, tally, shown, tree, first_rows)


class Trier:
    """Tries rules in the background; of several wishes only the last is served."""

    def __init__(self, line: Line, tell: Callable[[Trial | OurFault], None]) -> None:
        """
        Args:
            line: serves it, one wish at a time.
            tell: hears every trial, on a thread of the line's.
        """
        self._line, self._tell = line, tell
        self._source: Callable[[], Sequence[Facts]] | None = None
        self._read: Callable[[], Sequence[Facts]] | None = None
        self._rules: HouseRules | None = None
        self._first = self._all = Bench([])

    def try_on(self, captures: Callable[[], Sequence[Facts]]) -> None:
        """Try on these captures from now on; they are asked for in the background."""
        self._source = captures
        self._line.wish("", self._serve)

    def try_rules(self, rules: HouseRules) -> None:
        """Try these rules."""
        self._rules = rules
        self._line.wish("", self._serve)

    def _serve(self, superseded: Callable[[], bool]) -> None:
        source = self._source
        try:
            if source is not None and source is not self._read:
                self._read, facts = source, source()
                self._first, self._all = Bench(facts[:FIRST]), Bench(facts)
            if self._rules is not None:
                self._try(self._rules, superseded)
        # It must outlive an error of our own: it is told, and the next wish is served.
        except Exception as error:  # noqa: BLE001
            self._tell(OurFault(error))

    def _try(self, rules: HouseRules, superseded: Callable[[], bool]) -> None:
        first = self._first.tried(rules)
        if first is not None and len(self._all.facts) > FIRST:
            self._tell(Trial(rules, first.facts, first.named, first.wishes, first.rows))
        with uncollected():
            whole = self._all.tried(rules, superseded)
        if whole is not None:
            self._tell(whole)
