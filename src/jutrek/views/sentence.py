"""A view as a sentence: `stills by Arlen M2 in May 2026 without keywords`. The language is Jutrek's own.

`docs/sentences.md` tells all of it. In short:

    sentence  = together { "or" together }
    together  = { [ "not" ] ( clause | "(" sentence ")" ) [ "and" | "but" | "," | ";" ] }
    clause    = leaf { "or" leaf of the same sort }         what is joined so is joined before anything else

Names run on to the next word that begins something; in quotation marks they may hold any sign. What stands in quotation
marks alone is looked for in names, folders and words.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from jutrek.views.conditions import (
    EVERYTHING,
    NOTHING,
    Around,
    Condition,
    How,
    Is,
    Measure,
    Near,
    Not,
    Some,
    Sort,
    State,
    Text,
    Value,
    both,
    either,
    leaves,
    no,
    sort_of,
)
from jutrek.views.guessing import GUESSES
from jutrek.views.measures import LENGTHS, NUMBERS, SIZES, metres_of, number_of
from jutrek.views.times import TimeWords
from jutrek.views.tokens import KINDS, is_date
from jutrek.views.walking import SentenceError, Walk

LONGEST, DEEPEST, MOST_LEAVES = 20_000, 40, 400
_NEAR = 5_000
"""Metres that are near."""
_FILLERS = ("captures", "that", "which", "are", "were", "shot", "only", "all", "is")
_SOME = {
    "keywords": Sort.KEYWORD, "position": Sort.POSITION, "date": Sort.TIME, "mark": Sort.MARK, "rating": Sort.RATING,
    "lens": Sort.LENS, "description": Sort.SHOOT, "device": Sort.DEVICE,
    "place": Sort.PLACE,
}  # fmt: skip
"""What can be known of a capture, or not, behind `with` and `without`."""
_NAMED = {"keyword": Sort.KEYWORD, "keywords": Sort.KEYWORD, "lens": Sort.LENS}
_UN = {"undated": Sort.TIME, "unmarked": Sort.MARK, "unrated": Sort.RATING}
_GUESSED = {word: one for one in GUESSES for word in (one, f"{one}s")}
_STATES = {tuple(one.value.split()): one for one in State}
_BEFORE_VALUE = {"by": Sort.DEVICE, "as": Sort.FORMAT, "of": Sort.SHOOT}
_COMPARING = {
    ("at", "least"): How.AT_LEAST, ("at", "most"): How.AT_MOST, ("more", "than"): How.MORE,
    ("fewer", "than"): How.FEWER, ("less", "than"): How.FEWER, ("exactly",): How.EXACTLY,
}  # fmt: skip


class Read(NamedTuple):
    """How far a text is a sentence.

    Attributes:
        view: what it says; None where it is none.
        trouble: why it is none.
        wanted: words that may come at its end; names of a sort stand as that sort.
        begun: what was begun of a name at its end, and of which sort; None where none was.
    """

    view: Condition | None
    trouble: SentenceError | None
    wanted: tuple[str | Sort, ...]
    begun: tuple[str, Sort] | None


def parse(text: str) -> Condition:
    """What a sentence says. Nothing typed is everything.

    Raises:
        SentenceError: where it is none.
    """
    read = understand(text)
    if read.trouble is not None or read.view is None:
        raise read.trouble or SentenceError(0, "This is no sentence.")
    return read.view


def understand(text: str) -> Read:
    """Read a text that may be a sentence, and what may come next."""
    if len(text) > LONGEST:
        return Read(None, SentenceError(LONGEST, f"A sentence has {LONGEST:,} characters at most."), (), None)
    parser = _Parser(text)
    view: Condition | None = None
    trouble: SentenceError | None = None
    try:
        view = parser.sentence()
    except SentenceError as error:
        trouble = error
    walk = parser.walk
    return Read(view, trouble, tuple(dict.fromkeys(walk.wanted_at_end)), walk.begun)


class _Parser(TimeWords):
    """One text on its way to a condition."""

    def __init__(self, text: str) -> None:
        super().__init__(Walk(text))
        self._deep = 0

    def sentence(self) -> Condition:
        """All of the text."""
        view = self._alternatives()
        if not self.walk.over:
            raise self.walk.trouble("A bracket is closed that was not opened." if self.walk.at_sign(")") else "")
        if sum(1 for _ in leaves(view)) > MOST_LEAVES:
            raise SentenceError(0, f"A sentence says {MOST_LEAVES} things at most.")
        return view

    def _alternatives(self) -> Condition:
        parts = [self._together()]
        while self.walk.take("or"):
            if self._at_end():
                raise self.walk.trouble("Something has to follow the word “or”.")
            parts.append(self._together())
        return either(*parts)

    def _at_end(self) -> bool:
        return self.walk.over or self.walk.at_sign(")")

    def _together(self) -> Condition:
        parts: list[Condition] = []
        while not self._at_end() and not self.walk.sees("or"):
            if self.walk.take("and", "but", ",", ";"):
                continue
            if self.walk.take(*_FILLERS):
                continue
            parts.append(self._item())
        # What may come behind all of it.
        self.walk.want(*STARTS, *(("and", "or") if parts else ()))
        return both(*parts)

    def _item(self) -> Condition:
        if self.walk.take("not"):
            return no(self._item())
        if self.walk.take("("):
            self._deep += 1
            if self._deep > DEEPEST:
                raise self.walk.trouble(f"Brackets lie in one another {DEEPEST} deep at most.")
            inside = self._alternatives()
            if not self.walk.take(")"):
                raise self.walk.trouble("A bracket is not closed.")
            self._deep -= 1
            return inside
        return self._clause()

    def _clause(self) -> Condition:
        """A leaf, and those of the same sort that “or” joins to it."""
        denies = self.walk.sees("without")
        first = self._leaf()
        parts, sort = [first], sort_of(first)
        while self.walk.sees("or"):
            mark = self.walk.mark()
            self.walk.take("or")
            other = self._another(sort, denies)
            if other is None or sort_of(other) is not sort:
                self.walk.back_to(mark)
                break
            parts.append(other)
        if denies and len(parts) > 1 and all(isinstance(one, Not) and isinstance(one.part, Value) for one in parts):
            # Without the one or the other is with neither.
            return no(either(*(one.part for one in parts if isinstance(one, Not))))
        return either(*parts)

    def _another(self, sort: Sort | None, denies: bool) -> Condition | None:
        """What stands behind “or”, where it can be of a sort: a name of it alone, or a leaf."""
        token = self.walk.token
        if token is None or (token.text in ("(", "not") and not token.quoted):
            return None
        if sort in _NAMES and (token.quoted or not token.reserved):
            named = Value(sort, self._name(sort)) if sort is not Sort.TEXT else Text(self._name(sort))
            return no(named) if denies else named
        if sort is Sort.RATING and (number := self._plain_number()) is not None:
            return Measure(sort, How.EXACTLY, number)
        try:
            return self._leaf()
        except SentenceError:
            return None

    # ---- leaves

    def _leaf(self) -> Condition:
        walk = self.walk
        token = walk.token
        if token is not None and token.quoted:
            return Text(self._name(Sort.TEXT))
        for words, make in _LEAVES:
            if token is not None and token.text in words:
                return make(self)
        if (time := self.bare_time()) is not None:
            return time
        shown = "" if token is None else walk.text[token.start : token.end]
        raise walk.trouble(
            f"“{shown}” is no word of a sentence; in quotation marks it is looked for in names and words."
        )

    def _kind(self) -> Condition:
        token = self.walk.next()
        return Value(Sort.KIND, KINDS[token.text])

    def _plain(self) -> Condition:
        word = self.walk.next().text
        if word in _UN:
            return no(Some(_UN[word]))
        return EVERYTHING if word == "everything" else NOTHING

    def _state(self) -> Condition:
        for words, state in _STATES.items():
            if self.walk.take_all(*words):
                return Is(state)
        raise self.walk.trouble()

    def _likely(self) -> Condition:
        walk = self.walk
        walk.next()
        walk.take("a")
        if (word := walk.take(*_GUESSED)) is not None:
            return Value(Sort.LIKELY, _GUESSED[word])
        walk.want(*(f"{one}s" for one in GUESSES))
        raise walk.trouble("Likely what? Photographs, screenshots or papers.")

    def _value(self) -> Condition:
        sort = _BEFORE_VALUE[self.walk.next().text]
        return Value(sort, self._name(sort))

    def _carried(self) -> Condition:
        self.walk.next()
        self.walk.must("by")
        return Value(Sort.PERSON, self._name(Sort.PERSON))

    def _marked(self) -> Condition:
        self.walk.next()
        token = self.walk.token
        if token is None or (token.reserved and not token.quoted):
            self.walk.want(Sort.MARK)
            return Some(Sort.MARK)
        return Value(Sort.MARK, self._name(Sort.MARK))

    def _rated(self) -> Condition:
        self.walk.next()
        how = self._comparing()
        number = self._plain_number()
        if number is None or number > 5:
            raise self.walk.trouble("A rating is a number from 0 to 5.")
        return Measure(Sort.RATING, how, number)

    def _larger(self) -> Condition:
        word = self.walk.next().text
        self.walk.must("than")
        how = How.MORE if word in ("longer", "larger") else How.FEWER
        if word in ("longer", "shorter"):
            return Measure(Sort.LENGTH, how, self._quantity(LENGTHS, "a length, such as 20 seconds"))
        return Measure(Sort.SIZE, how, self._quantity(SIZES, "a size, such as 20 MB"))

    def _with(self) -> Condition:
        denies = self.walk.next().text == "without"
        found = self._had()
        return no(found) if denies else found

    def _had(self) -> Condition:
        """What stands behind `with`."""
        walk = self.walk
        any_one = walk.take("a", "an", "any") is not None
        walk.take("the")
        if walk.take_all("doubtful", "date"):
            return Is(State.DOUBTFUL)
        mark = walk.mark()
        how = self._comparing()
        if (number := self._number()) is not None:
            if number == int(number) and walk.take("copies", "copy"):
                return Measure(Sort.COPIES, how, int(number))
            walk.must("megapixels", "megapixel")
            return Measure(Sort.PIXELS, how, round(number * 1_000_000))
        walk.back_to(mark)
        word = walk.take(*_SOME, "keyword")
        if word is None:
            raise walk.trouble("With what? Keywords, a lens, a position, a date, a mark, a rating or a description.")
        token = walk.token
        if word in _NAMED and not any_one:
            # What stands in quotation marks behind “with keywords” is looked for by itself.
            if token is not None and (word != "keywords" if token.quoted else not token.reserved):
                return Value(_NAMED[word], self._name(_NAMED[word]))
            walk.want(_NAMED[word])
        if word == "keyword":
            raise walk.trouble("A keyword has to follow.")
        return Some(_SOME[word])

    def _in(self) -> Condition:
        walk = self.walk
        right = walk.take("right") is not None
        mark = walk.mark()
        walk.must("in")
        if walk.take_all("the", "folder") or walk.take("folder", "folders"):
            sort = Sort.RIGHT_IN if right else Sort.FOLDER
            return Value(sort, self._name(sort))
        if right:
            raise walk.trouble("A folder has to follow: right in folder 2026/05.")
        how = self._comparing()
        number = self._plain_number()
        if number is not None and walk.take("backup", "backups"):
            return Measure(Sort.COPIES, how, number)
        walk.back_to(mark)
        return self.time()

    def _on(self) -> Condition:
        """A shelf, or a day."""
        walk = self.walk
        mark = walk.mark()
        walk.must("on")
        if walk.take_all("no", "shelf"):
            return no(Some(Sort.SHELF))
        if walk.take_all("a", "shelf") or walk.take_all("any", "shelf"):
            return Some(Sort.SHELF)
        if walk.take_all("the", "shelf") or walk.take("shelf"):
            return Value(Sort.SHELF, self._name(Sort.SHELF))
        walk.back_to(mark)
        return self.time()

    def _near(self) -> Condition:
        walk = self.walk
        metres: int | None = None
        if walk.take("within"):
            number, unit = self._number(), walk.take("km", "m", "kilometres", "metres")
            if number is None or unit is None:
                raise walk.trouble("Within how far? Such as within 5 km of 47.25, 11.4.")
            metres = metres_of(number, unit)
            walk.must("of")
        else:
            walk.must("near")
        token = walk.token
        if token is None or token.quoted or (not token.reserved and number_of(token.text) is None):
            name = self._name(Sort.PLACE)
            return Value(Sort.PLACE, name) if metres is None else Around(name, metres)
        latitude = self._number(signed=True)
        walk.take(",")
        longitude = self._number(signed=True)
        if latitude is None or longitude is None or abs(latitude) > 90 or abs(longitude) > 180:
            raise walk.trouble("A position is a latitude and a longitude in degrees, such as 47.25, 11.4.")
        return Near(round(latitude, 6) + 0.0, round(longitude, 6) + 0.0, _NEAR if metres is None else metres)

    # ---- names and numbers

    def _name(self, sort: Sort) -> str:
        """A name: what stands in quotation marks, or all words up to one that begins something."""
        walk = self.walk
        token = walk.token
        walk.want(sort)
        # Folders are often called by a year.
        is_year = token is not None and sort in (Sort.FOLDER, Sort.RIGHT_IN) and is_date(token.text)
        if token is None or (token.reserved and not is_year):
            raise walk.trouble(_WANTED.get(sort, f"A {sort.value} has to follow."))
        if token.quoted:
            walk.next()
            if walk.over:
                walk.begin(token.text, sort, whole=token.shut)
            if not token.text.strip():
                raise walk.trouble("Something has to stand in the quotation marks.", token.start)
            return token.text
        first = last = walk.next()
        while (token := walk.token) is not None and not token.quoted and not token.reserved:
            last = walk.next()
        name = " ".join(walk.text[first.start : last.end].split())
        if walk.over:
            walk.begin(name, sort, whole=False)
        return name

    def _comparing(self) -> How:
        for words, how in _COMPARING.items():
            if self.walk.take_all(*words):
                return how
        return How.EXACTLY

    def _plain_number(self) -> int | None:
        number = self._number()
        return None if number is None or number != int(number) else int(number)

    def _number(self, *, signed: bool = False) -> float | None:
        token = self.walk.token
        if token is None or token.quoted:
            self.walk.want(*NUMBERS)
            return None
        number = number_of(token.text)
        if number is None or (number < 0 and not signed):
            return None
        self.walk.next()
        return number

    def _quantity(self, units: dict[str, int], what: str) -> int:
        """A number with its unit, in the least of the units."""
        walk = self.walk
        number = self._number()
        unit = None
        if number is None and walk.token is not None:
            # Written in one: 20s, 4GB.
            text = walk.token.text
            digits = text.rstrip("abcdefghijklmnopqrstuvwxyz")
            number, unit = number_of(digits) if digits != text else None, text[len(digits) :]
            if number is not None and unit in units:
                walk.next()
        elif number is not None:
            unit = walk.take(*units)
        if number is None or number < 0 or unit not in units:
            raise walk.trouble(f"It has to be {what}.")
        return round(number * units[unit])


_Making = Callable[["_Parser"], Condition]
_LEAVES: tuple[tuple[frozenset[str], _Making], ...] = (
    (frozenset(KINDS), _Parser._kind),
    (frozenset([*_UN, "everything", "nothing"]), _Parser._plain),
    (frozenset(words[0] for words in _STATES), _Parser._state),
    (frozenset(_BEFORE_VALUE), _Parser._value),
    (frozenset(["likely"]), _Parser._likely),
    (frozenset(["carried"]), _Parser._carried),
    (frozenset(["marked"]), _Parser._marked),
    (frozenset(["rated"]), _Parser._rated),
    (frozenset(["longer", "shorter", "larger", "smaller"]), _Parser._larger),
    (frozenset(["with", "without"]), _Parser._with),
    (frozenset(["in", "right"]), _Parser._in),
    (frozenset(["near", "within"]), _Parser._near),
    (frozenset(["on"]), _Parser._on),
    (frozenset(["from", "since", "until", "before", "after", "between", "filed"]), TimeWords.time),
)
"""What reads a leaf, by the words that begin it."""
_NAMES = frozenset([
    Sort.DEVICE, Sort.FORMAT, Sort.SHOOT, Sort.PERSON, Sort.LENS, Sort.KEYWORD, Sort.MARK, Sort.FOLDER, Sort.RIGHT_IN,
    Sort.SHELF, Sort.PLACE, Sort.TEXT,
])  # fmt: skip
"""Sorts whose leaves are names."""
_WANTED = {
    Sort.DEVICE: "By which device? Its name or letter has to follow.",
    Sort.PERSON: "Carried by whom? A name has to follow.",
    Sort.FORMAT: "As what? A format has to follow, such as dng.",
    Sort.SHOOT: "Of what? What it was has to follow.",
    Sort.FOLDER: "In which folder? Its path has to follow.",
    Sort.RIGHT_IN: "Right in which folder? Its path has to follow.",
    Sort.PLACE: "Near what? A place, or a latitude and a longitude in degrees, has to follow.",
    Sort.SHELF: "On which shelf? Its name has to follow.",
}
STARTS = (
    "stills", "clips", "sounds", "by", "carried by", "in", "on", "from", "since", "until", "before", "after", "between",
    "with", "without", "as", "of", "in folder", "right in folder", "on shelf", "marked", "unmarked", "rated", "unrated",
    "undated", "likely screenshots", "likely papers",
    "longer than", "shorter than", "larger than", "smaller than", "near", "within", "in no backup",
    "in fewer than 2 backups", *(state.value for state in State), "filed under", "not", "everything",
)  # fmt: skip
"""What a clause may begin with."""
