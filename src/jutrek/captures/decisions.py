"""What a person decided in an intake: an immutable value, and the changes that lead from one to the next.

Decisions never touch a file. Laid over captures they move dates, part shoots and leave captures out; taking back is
going to the value before.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta
from typing import ClassVar, TypeVar

from jutrek.formats import Precision

_T = TypeVar("_T")
_SPELLED = {Precision.YEAR: 4, Precision.MONTH: 7, Precision.DAY: 10, Precision.MINUTE: 16}


@dataclass(frozen=True, slots=True)
class ClockFix:
    """A correction of one device's clock in this intake.

    Attributes:
        device: the device's key.
        seconds: what is added to its times.
        captures: ids of the captures meant; empty means all of the device.
    """

    device: str
    seconds: float
    captures: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class GivenDate:
    """A date given by a person: local time, and how far it is known."""

    wall: datetime
    precision: Precision

    def __str__(self) -> str:
        return self.wall.isoformat(" ", "seconds")[: _SPELLED.get(self.precision, 19)]


@dataclass(frozen=True, slots=True)
class Described:
    """What a shoot was: the one of this filing day around a time; every one of the day where no time is given."""

    day: date
    at: datetime | None
    words: str


@dataclass(frozen=True, slots=True)
class Decisions:
    """All that was decided in an intake.

    Attributes:
        fixes: clock fixes, at most one for a whole device; those for single captures come on top.
        placed: dates given by hand, by capture.
        right: captures whose doubtful date stands as it is.
        right_clocks: devices whose clock stands as it is, whatever the others say.
        unfiled: captures that go to Unfiled.
        aside: captures that are left out of this intake.
        both: captures that come home though they are doubles of what is there.
        along: roots of sources of which everything comes along, also what is no capture.
        splits: times at which a new shoot begins.
        joins: stretches of time in which none begins by itself.
        moved: captures that go with the shoot around another time.
        described: what shoots were.
        told: what single captures were; on a day they are a shoot of their own.
        names, operators: what devices are called, and who carries them, by key.
        carried: who made single captures.
        worded: keywords of single captures.
        apart: devices that are another one on every source.
        said: what is said of the whole intake, by name: job, client, title, place.
    """

    fixes: tuple[ClockFix, ...] = ()
    placed: Mapping[str, GivenDate] = field(default_factory=dict)
    right: frozenset[str] = frozenset()
    right_clocks: frozenset[str] = frozenset()
    unfiled: frozenset[str] = frozenset()
    aside: frozenset[str] = frozenset()
    both: frozenset[str] = frozenset()
    along: frozenset[str] = frozenset()
    splits: frozenset[datetime] = frozenset()
    joins: frozenset[tuple[datetime, datetime]] = frozenset()
    moved: Mapping[str, datetime] = field(default_factory=dict)
    described: tuple[Described, ...] = ()
    told: Mapping[str, str] = field(default_factory=dict)
    names: Mapping[str, str] = field(default_factory=dict)
    operators: Mapping[str, str] = field(default_factory=dict)
    carried: Mapping[str, str] = field(default_factory=dict)
    worded: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    apart: frozenset[str] = frozenset()
    said: Mapping[str, str] = field(default_factory=dict)

    def shift_of(self, device: str) -> float:
        """Seconds that the whole device is shifted by."""
        return next((fix.seconds for fix in self.fixes if fix.device == device and not fix.captures), 0.0)

    @property
    def about(self) -> frozenset[str]:
        """The ids of all captures that something was decided about one by one."""
        singles = (
            self.placed,
            self.right,
            self.unfiled,
            self.aside,
            self.both,
            self.moved,
            self.told,
            self.carried,
            self.worded,
        )
        return frozenset().union(*singles, *(fix.captures for fix in self.fixes))

    def without(self, captures: frozenset[str]) -> Decisions:
        """The decisions with nothing about these captures one by one."""

        def kept(decided: Mapping[str, _T]) -> dict[str, _T]:
            return {key: value for key, value in decided.items() if key not in captures}

        fixes = (replace(fix, captures=fix.captures - captures) if fix.captures else fix for fix in self.fixes)
        return replace(
            self,
            # A fix of single captures that has none left must not become one of the whole device.
            fixes=tuple(new for new, old in zip(fixes, self.fixes, strict=True) if new.captures or not old.captures),
            placed=kept(self.placed),
            right=self.right - captures,
            unfiled=self.unfiled - captures,
            aside=self.aside - captures,
            both=self.both - captures,
            moved=kept(self.moved),
            told=kept(self.told),
            carried=kept(self.carried),
            worded=kept(self.worded),
        )


@dataclass(frozen=True, slots=True)
class ShiftClock:
    """Shift a device's clock by seconds, on top of what it is shifted by already; or that of some captures."""

    device: str
    seconds: float
    captures: frozenset[str] = frozenset()
    words: ClassVar[str] = "the clock fix"

    def on(self, decisions: Decisions) -> Decisions:
        """The decisions after it."""
        same = [fix for fix in decisions.fixes if (fix.device, fix.captures) == (self.device, self.captures)]
        others = [fix for fix in decisions.fixes if fix not in same]
        seconds = self.seconds + sum(fix.seconds for fix in same)
        fixes = (*others, ClockFix(self.device, seconds, self.captures)) if seconds or self.captures else tuple(others)
        placed = {key: value for key, value in decisions.placed.items() if key not in self.captures}
        return replace(decisions, fixes=tuple(fixes), placed=placed, unfiled=decisions.unfiled - self.captures)


@dataclass(frozen=True, slots=True)
class ShiftClocks:
    """Shift clocks together: those of several devices, or that of one by another shift on each day."""

    shifts: tuple[ShiftClock, ...]
    words: ClassVar[str] = "the clock fixes"

    def on(self, decisions: Decisions) -> Decisions:
        """The decisions after it."""
        for shift in self.shifts:
            decisions = shift.on(decisions)
        return decisions


@dataclass(frozen=True, slots=True)
class SetDate:
    """Give captures dates by hand."""

    dates: tuple[tuple[str, GivenDate], ...]
    words: ClassVar[str] = "the date given by hand"

    def on(self, decisions: Decisions) -> Decisions:
        """The decisions after it."""
        given = dict(self.dates)
        return replace(decisions, placed={**decisions.placed, **given}, unfiled=decisions.unfiled - given.keys())


@dataclass(frozen=True, slots=True)
class TakeAsItIs:
    """Let dates stand as they are; with a device, its clock as well."""

    captures: frozenset[str]
    device: str = ""
    words: ClassVar[str] = "“right as it is”"

    def on(self, decisions: Decisions) -> Decisions:
        """The decisions after it."""
        clocks = decisions.right_clocks | ({self.device} if self.device else set())
        return replace(decisions, right=decisions.right | self.captures, right_clocks=clocks)


@dataclass(frozen=True, slots=True)
class LeaveUnfiled:
    """Bring captures home to Unfiled, under their own names."""

    captures: frozenset[str]
    words: ClassVar[str] = "“leave unfiled”"

    def on(self, decisions: Decisions) -> Decisions:
        """The decisions after it."""
        placed = {key: value for key, value in decisions.placed.items() if key not in self.captures}
        return replace(decisions, unfiled=decisions.unfiled | self.captures, placed=placed)


@dataclass(frozen=True, slots=True)
class SetAside:
    """Leave captures out of this intake, or take them in again."""

    captures: frozenset[str]
    back: bool = False
    words: ClassVar[str] = "setting aside"

    def on(self, decisions: Decisions) -> Decisions:
        """The decisions after it."""
        aside = decisions.aside - self.captures if self.back else decisions.aside | self.captures
        return replace(decisions, aside=aside)


@dataclass(frozen=True, slots=True)
class BringDoubles:
    """Bring captures home though the same picture or sound is there already."""

    captures: frozenset[str]
    words: ClassVar[str] = "bringing doubles"

    def on(self, decisions: Decisions) -> Decisions:
        """The decisions after it."""
        return replace(decisions, both=decisions.both | self.captures, aside=decisions.aside - self.captures)


@dataclass(frozen=True, slots=True)
class BringAlong:
    """Bring along what is no capture on a source, as it is; or leave it there again."""

    roots: frozenset[str]
    back: bool = False
    words: ClassVar[str] = "bringing everything along"

    def on(self, decisions: Decisions) -> Decisions:
        """The decisions after it."""
        return replace(decisions, along=decisions.along - self.roots if self.back else decisions.along | self.roots)


@dataclass(frozen=True, slots=True)
class Describe:
    """Say what a shoot was."""

    day: date
    at: datetime | None
    text: str
    words: ClassVar[str] = "the description"

    def on(self, decisions: Decisions) -> Decisions:
        """The decisions after it."""
        text = " ".join(self.text.split())
        kept = [one for one in decisions.described if (one.day, one.at) != (self.day, self.at)]
        return replace(decisions, described=(*kept, Described(self.day, self.at, text)))


@dataclass(frozen=True, slots=True)
class Tell:
    """Say what some captures were; they become a shoot of their own. No words put them back."""

    captures: frozenset[str]
    text: str
    words: ClassVar[str] = "the description"

    def on(self, decisions: Decisions) -> Decisions:
        """The decisions after it."""
        text = " ".join(self.text.split())
        told = {key: words for key, words in decisions.told.items() if key not in self.captures}
        return replace(decisions, told={**told, **(dict.fromkeys(self.captures, text) if text else {})})


@dataclass(frozen=True, slots=True)
class SplitShoot:
    """Begin a new shoot at a time."""

    at: datetime
    words: ClassVar[str] = "the split"

    def on(self, decisions: Decisions) -> Decisions:
        """The decisions after it."""
        joins = frozenset(join for join in decisions.joins if not join[0] < self.at <= join[1])
        return replace(decisions, splits=decisions.splits | {self.at}, joins=joins)


@dataclass(frozen=True, slots=True)
class JoinShoots:
    """Let no shoot begin between the end of one and the start of the next."""

    end: datetime
    start: datetime
    words: ClassVar[str] = "the joining"

    def on(self, decisions: Decisions) -> Decisions:
        """The decisions after it."""
        splits = frozenset(at for at in decisions.splits if not self.end < at <= self.start)
        return replace(decisions, splits=splits, joins=decisions.joins | {(self.end, self.start)})


@dataclass(frozen=True, slots=True)
class MoveToShoot:
    """Let captures go with the shoot around a time, whatever their own."""

    captures: frozenset[str]
    at: datetime
    words: ClassVar[str] = "the move"

    def on(self, decisions: Decisions) -> Decisions:
        """The decisions after it."""
        return replace(decisions, moved={**decisions.moved, **dict.fromkeys(self.captures, self.at)})


@dataclass(frozen=True, slots=True)
class NameDevice:
    """Call a device something, and say who carries it."""

    device: str
    name: str
    operator: str
    words: ClassVar[str] = "the device's name"

    def on(self, decisions: Decisions) -> Decisions:
        """The decisions after it."""
        names, operators = {**decisions.names}, {**decisions.operators, self.device: self.operator.strip()}
        if self.name.strip():
            names[self.device] = self.name.strip()
        return replace(decisions, names=names, operators=operators)


@dataclass(frozen=True, slots=True)
class CarriedBy:
    """Say who made some captures."""

    captures: frozenset[str]
    operator: str
    words: ClassVar[str] = "the operator"

    def on(self, decisions: Decisions) -> Decisions:
        """The decisions after it."""
        carried = {**decisions.carried, **dict.fromkeys(self.captures, self.operator.strip())}
        return replace(decisions, carried=carried)


@dataclass(frozen=True, slots=True)
class WordBy:
    """Say which keywords captures have, beside those that the house says; none takes them back."""

    captures: frozenset[str]
    keywords: tuple[str, ...]
    words: ClassVar[str] = "the keywords"

    def on(self, decisions: Decisions) -> Decisions:
        """The decisions after it."""
        others = {key: value for key, value in decisions.worded.items() if key not in self.captures}
        said = dict.fromkeys(self.captures, self.keywords) if self.keywords else {}
        return replace(decisions, worded=others | said)


@dataclass(frozen=True, slots=True)
class Say:
    """Say something of the whole intake, such as its job's number; no words take it back."""

    said: Mapping[str, str]

    words: ClassVar[str] = "what the intake is for"

    def on(self, decisions: Decisions) -> Decisions:
        """The decisions after it."""
        merged = {**decisions.said, **self.said}
        return replace(decisions, said={name: text for name, text in merged.items() if text})


@dataclass(frozen=True, slots=True)
class SplitDevice:
    """Take what one model made on several sources for the work of several bodies."""

    device: str
    words: ClassVar[str] = "splitting the device"

    def on(self, decisions: Decisions) -> Decisions:
        """The decisions after it."""
        return replace(decisions, apart=decisions.apart | {self.device})


Change = (
    ShiftClock
    | ShiftClocks
    | SetDate
    | TakeAsItIs
    | LeaveUnfiled
    | SetAside
    | BringDoubles
    | BringAlong
    | Describe
    | Tell
    | SplitShoot
    | JoinShoots
    | MoveToShoot
    | NameDevice
    | CarriedBy
    | WordBy
    | Say
    | SplitDevice
)


def spread(captures: Iterable[str], start: datetime, end: datetime) -> tuple[tuple[str, GivenDate], ...]:
    """Dates for captures evenly between two times, to the minute."""
    ids = list(captures)
    step = (end - start) / (len(ids) + 1)
    minute = timedelta(minutes=1)
    walls = [start + step * (number + 1) for number in range(len(ids))]
    precision = Precision.MINUTE if step >= minute else Precision.SECOND
    return tuple((key, GivenDate(wall.replace(microsecond=0), precision)) for key, wall in zip(ids, walls, strict=True))
