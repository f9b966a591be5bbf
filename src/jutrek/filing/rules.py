"""House rules: how a library files and names, and when a day and a shoot begin."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, fields, replace
from datetime import date, timedelta
from enum import StrEnum

from jutrek.captures import RUNGS
from jutrek.filing.arrival import NOTHING_SAID, Saying, trouble_with_saying
from jutrek.filing.counting import Per
from jutrek.filing.facts import Facts
from jutrek.filing.names import Extensions
from jutrek.filing.pattern import LAYOUT, NAME, Pattern, PatternError, parse, trouble_with
from jutrek.filing.pieces import KIND_WORDS, Setting
from jutrek.formats import MEDIA


class Undated(StrEnum):
    """What becomes of a capture without a trustworthy date."""

    STAY = "stay"
    UNFILED = "unfiled"


class Structure(StrEnum):
    """What becomes of the files that a card keeps beside its clips: indexes, play lists, media profiles."""

    ALONE = "alone"
    BESIDE = "beside"


class Order(StrEnum):
    """In which order files come home."""

    TIME = "time"
    SMALL = "small"


class OnDouble(StrEnum):
    """What becomes of a capture that is there already, though not with the same bytes."""

    ASK = "ask"
    BRING = "bring"
    STAY = "stay"


class Places(StrEnum):
    """Whether what comes home is told where it was by its position: not at all, in words, as keywords, too."""

    NONE = "none"
    NAMES = "names"
    KEYWORDS = "names-and-keywords"


class OnChanged(StrEnum):
    """Which version is right where somebody changed a copy: the library's, the copy's, or whichever a person says."""

    ASK = "ask"
    LIBRARY = "library"
    COPY = "copy"


class OnArrival(StrEnum):
    """What becomes of what comes into an inbox: it waits to be asked about, comes home by itself where nothing about it
    is doubtful, or is left to whoever brings it."""

    ASK = "ask"
    BY_ITSELF = "by-itself"
    LEAVE = "leave"


class Cleared(StrEnum):
    """How what is home goes from an inbox, once it is proven: not at all, into the system's trash, or for good."""

    NEVER = "never"
    TRASH = "trash"
    FOR_GOOD = "for-good"


UNFILED_FOLDER = "Unfiled"
UNWANTED = (
    "system volume information/indexervolumeguid", "system volume information/wpsettings.dat", ".spotlight-v100/*",
    ".fseventsd/*", ".ds_store", "thumbs.db", "desktop.ini",
)  # fmt: skip
"""What operating systems leave on a medium for themselves."""


class RuleError(ValueError):
    """A rule that cannot be used.

    Attributes:
        field: the name of the rule, such as `layout`.
        scheme: the number of the scheme that it belongs to, or None.
        table: what such schemes are called on the page of rules.
        at: the character of a pattern that the trouble is at, or None.
    """

    def __init__(
        self, field: str, trouble: str, *, scheme: int | None = None, at: int | None = None, table: str = "scheme"
    ) -> None:
        """
        Args:
            field: of the rules.
            trouble: a sentence.
            scheme: which of the schemes it is in, from 0.
            at: where in a pattern, in characters.
        """
        super().__init__(trouble)
        self.field, self.scheme, self.at, self.table = field, scheme, at, table


@dataclass(frozen=True, slots=True)
class Scheme:
    """A layout and a name for some captures only: those for which all its conditions hold.

    Attributes:
        kinds: stills, clips, sound; empty for all.
        device: a device's letter, name or model; empty for all.
        words: what its shoot's description or its keywords have in them; empty for all.
        layout, name: patterns; empty for those of the house.
    """

    kinds: tuple[str, ...] = ()
    device: str = ""
    words: str = ""
    layout: str = ""
    name: str = ""

    def fits(self, facts: Facts) -> bool:
        """Whether it is for a capture."""
        if self.kinds and facts.capture.kind.value not in self.kinds:
            return False
        if self.device and not names_device(self.device.casefold(), facts):
            return False
        if not self.words:
            return True
        wording = facts.capture.primary.reading.wording
        said = (facts.shoot, facts.place, *(wording.keywords if wording else ()))
        return any(self.words.casefold() in one.casefold() for one in said)

    @property
    def about(self) -> str:
        """For what it is, in words."""
        parts = [", ".join(KIND_WORDS.get(kind, kind).lower() for kind in self.kinds)] if self.kinds else []
        parts += [f"device {self.device}"] if self.device else []
        parts += [f"“{self.words}”"] if self.words else []
        return " · ".join(parts) or "everything"


def names_device(wanted: str, facts: Facts) -> bool:
    read = facts.capture.primary.reading.device
    names = [facts.device.letter, facts.device.name] if facts.device else []
    names += [read.model, f"{read.make} {read.model}".strip()] if read else []
    return any(wanted == name.casefold() for name in names if name)


@dataclass(frozen=True, slots=True)
class HouseRules:
    """The rules that a plan is made by.

    Attributes:
        layout: the pattern of folders below the library; its dates are of the filing day, which obeys the day's start.
        name: the pattern of file names, without extension; its dates are the true ones.
        developed: the pattern of folders for what a device developed beside its raws; empty for those of the raws.
        schemes: layouts and names for some captures only; the first that fits holds.
        undated: whether captures without a trustworthy date stay on their source or go to `Unfiled/`.
        extensions: how extensions are written.
        language: of the names of months and weekdays.
        kinds: what stills, clips and sound are called in folders.
        owners: whether the owner or artist that a device writes is who made a capture, where nobody said another.
        counter_per, counter_start: what a counter counts within, and its first number.
        day_starts: minutes after midnight at which a day begins.
        gap: minutes without a capture after which a new shoot begins.
        zone: the house's offset from UTC in minutes, for times known only in UTC; None is this machine's zone.
        journeys: from which day on which offset (minutes) holds instead of `zone`, ordered by day.
        trust: the rungs of the ladder of evidence, the most trusted first; all of them, each once.
        beside: whether what belongs to a capture that is home comes beside it, or stays on its source.
        retagged, reencoded, alike: what becomes of captures whose picture or sound is there already: the same to the
            byte with other metadata, the same by looks in another encoding, only like it. Same bytes always stay.
        structure: whether clips are filed alone, or with the card's structure beside them.
        sidecars: whether a corrected date is also written into an XMP sidecar beside its file.
        originals: whether the name that a file had on its source is written into such a sidecar.
        twice: whether every file is read a second time from its source, and must give the same bytes.
        second_sum: whether a cryptographic sum (BLAKE3) is kept beside the fingerprint.
        hash_lists: whether every intake leaves a hash list (ASC MHL) in each place.
        unwanted: patterns of paths on a source (`*` and `?`; case is not told) of what every card has and nobody
            misses; they hold for nothing that is a picture, clip or sound.
        proof_days: for how many days beyond the one on which a copy was read back that counts for calling a card safe;
            0 is that day only, and what was read before is read again.
        least_copies: how many proven copies there must be of a file, that on the archive drive among them, before it
            leaves the library to be stored away.
        arrivals: what becomes of what comes into an inbox: it waits to be asked about, or comes home by itself, or is
            left to whoever brings it.
        cleared: how what is home goes from an inbox, once it is proven in the library and every backup.
        changed: which version is right where a copy was changed outside Jutrek; the other one is put aside.
        order: whether files come home in the order of time, or small ones first.
        saying: what is said of all that comes in, for such a sidecar.
        sayings: what is said of some of it, besides.
        places: whether what comes in is told where it was, by its position.
        within: the folder that all goes into, relative to the library: where an intake is for a job. Empty for none.
        inside: whether what is said of captures goes into their files, where it is proven that nothing else changes.

    Raises:
        RuleError: when a rule cannot be used.
    """

    layout: str = "{year}/{month}</{day} {shoot}>"
    name: str = "{date}_{time}< {shoot}>"
    developed: str = ""
    schemes: tuple[Scheme, ...] = ()
    undated: Undated = Undated.STAY
    extensions: Extensions = Extensions.LOWER
    language: str = "en"
    kinds: Mapping[str, str] = field(default_factory=lambda: dict(KIND_WORDS))
    owners: bool = False
    counter_per: Per = Per.FOLDER
    counter_start: int = 1
    day_starts: int = 240
    gap: int = 360
    zone: int | None = None
    journeys: tuple[tuple[date, int], ...] = ()
    trust: tuple[str, ...] = tuple(RUNGS)
    beside: bool = True
    retagged: OnDouble = OnDouble.ASK
    reencoded: OnDouble = OnDouble.ASK
    alike: OnDouble = OnDouble.BRING
    structure: Structure = Structure.ALONE
    sidecars: bool = False
    originals: bool = False
    twice: bool = False
    second_sum: bool = False
    hash_lists: bool = True
    unwanted: tuple[str, ...] = UNWANTED
    proof_days: int = 0
    least_copies: int = 1
    arrivals: OnArrival = OnArrival.ASK
    cleared: Cleared = Cleared.NEVER
    changed: OnChanged = OnChanged.ASK
    order: Order = Order.TIME
    saying: Saying = NOTHING_SAID
    sayings: tuple[Saying, ...] = ()
    places: Places = Places.NONE
    inside: bool = False
    within: str = ""

    def __post_init__(self) -> None:
        if self.layout or not self.within:
            _check("layout", self.layout, LAYOUT)
        _check("name", self.name, NAME)
        if self.developed:
            _check("developed", self.developed, LAYOUT)
        for number, scheme in enumerate(self.schemes):
            _check("layout", scheme.layout or self.layout, LAYOUT, number)
            _check("name", scheme.name or self.name, NAME, number)
            if not set(scheme.kinds) <= MEDIA:
                raise RuleError("kinds", f"kinds are: {', '.join(sorted(MEDIA))}.", scheme=number)
        _check_saying(self.saying)
        for number, saying in enumerate(self.sayings):
            _check_saying(saying, number)
        if sorted(self.trust) != sorted(RUNGS):
            raise RuleError("trust", f"the order must name each of these once: {', '.join(RUNGS)}.")

    @property
    def day_begins(self) -> timedelta:
        """The day's start after midnight."""
        return timedelta(minutes=self.day_starts)

    @property
    def shoot_gap(self) -> timedelta:
        """The gap that parts shoots."""
        return timedelta(minutes=self.gap)

    def below_job(self, folder: str) -> str:
        """A folder of a layout, in the library: below that of the job which an intake is for, if it is for one."""
        return "/".join(part for part in (self.within, folder) if part)

    def setting(self, *, filed: bool) -> Setting:
        """What pieces of its patterns are written by; `filed` for those of layouts."""
        return Setting(filed, self.language, self.kinds)

    def patterns(self) -> tuple[tuple[Pattern, Pattern], ...]:
        """Layout and name of each scheme, those of the house last."""
        own = [(scheme.layout or self.layout, scheme.name or self.name) for scheme in self.schemes]
        return tuple((parse(layout), parse(name)) for layout, name in (*own, (self.layout, self.name)))

    def scheme_of(self, facts: Facts) -> int:
        """The number of the scheme that a capture is filed by, as `patterns` counts them."""
        schemes = self.schemes
        return next((number for number, scheme in enumerate(schemes) if scheme.fits(facts)), len(schemes))

    def uses(self, piece: str) -> bool:
        """Whether a piece is in any of the patterns."""
        developed = parse(self.developed).uses(piece) if self.developed else False
        return developed or any(layout.uses(piece) or name.uses(piece) for layout, name in self.patterns())

    @property
    def writes_sidecars(self) -> bool:
        """Whether everything that comes home gets a sidecar."""
        return bool(self.originals or self.says or self.places is not Places.NONE)

    @property
    def says(self) -> tuple[Saying, ...]:
        """All that is said of what comes in: of everything first."""
        return tuple(one for one in (self.saying, *self.sayings) if one)


def _check(name: str, pattern: str, use: str, scheme: int | None = None) -> None:
    try:
        if (trouble := trouble_with(pattern, use)) is not None:
            raise trouble
    except PatternError as error:
        raise RuleError(name, str(error), scheme=scheme, at=error.at) from error


def _check_saying(saying: Saying, number: int | None = None) -> None:
    if not set(saying.kinds) <= MEDIA:
        raise RuleError("kinds", f"kinds are: {', '.join(sorted(MEDIA))}.", scheme=number, table="caption")
    for name, text in saying.texts():
        try:
            if (trouble := trouble_with_saying(text)) is not None:
                raise PatternError(*trouble)
        except PatternError as error:
            raise RuleError(name, str(error), scheme=number, at=error.at, table="caption") from error


def rebased(rules: HouseRules, old: HouseRules, new: HouseRules) -> HouseRules:
    """Rules that were made out of old house rules, now out of new ones: what was changed in them stays changed."""
    changed = {
        one.name: getattr(rules, one.name)
        for one in fields(HouseRules)
        if getattr(rules, one.name) != getattr(old, one.name)
    }
    return replace(new, **changed)
