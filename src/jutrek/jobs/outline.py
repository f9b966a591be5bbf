"""Outlines: a small text of folders and starter files with blanks, by which each job is started alike.

The language is Jutrek's own; `docs/jobs.md` tells all of it:

    # A film of one day on the line.                      a comment, to its line's end
    about: A film of one day                              what it is for
    series: jobs                                          where its numbers are counted; `jobs` where none is named
    blank: client : needed : from clients                 a blank, and what it may hold
    jobs/{year}/{job} {client} {title}                    the folder of the job: patterns, as in house rules
        1 raw : captures by {device} : called raw         a folder in it; captures of the job land here
        2 work
            {job}_{title:slug}_v01.otio : from start.otio a starter file
            drone : if wished                             an optional part
            {device} : each device                        made once for each device

Names of files hold no colon on every disk: so one with a space on either side, outside of braces, parts a name from
what is said of it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType

from jutrek.filing.pattern import (
    LAYOUT,
    NAME,
    Optional,
    Part,
    Pattern,
    PatternError,
    Piece,
    joined,
    parse,
    trouble_with,
)
from jutrek.filing.pieces import PIECES, WORD_FORMS
from jutrek.filing.writing import as_value
from jutrek.jobs.blanks import JOB, USUAL, Blank, BlankTrouble, blank_of
from jutrek.jobs.filling import COUNTED, DAYS

LONGEST, MOST_LINES, DEEPEST = 1 << 20, 10_000, 32
"""Bytes of the longest outline, its lines, and how deep its folders go."""
SERIES = "jobs"
"""The series that counts the jobs of an outline that names none."""
_HEAD = re.compile(r"([A-Za-z]+):(?=\s|$)\s*(.*)")
_BLANK_NAME = re.compile(r"[a-z][a-z0-9-]{0,39}")
_SERIES_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9_-]{0,39}")
_NUMBER = re.compile(r"[\d\W_]*(?=[^\W\d_])")
_TAB = 4


class OutlineError(ValueError):
    """An outline that can't be used.

    Attributes:
        line: which of its lines, from 1.
        at: the index of the character in it that the sentence points at, from 0.
        trouble: the sentence without the place.
    """

    def __init__(self, line: int, at: int, trouble: str) -> None:
        super().__init__(f"Line {line}, at character {at + 1}: {trouble}")
        self.line, self.at, self.trouble = line, at, trouble


@dataclass(frozen=True, slots=True)
class Node:
    """A folder or a starter file of an outline.

    Attributes:
        line: where it stands, from 1.
        text: its pattern, as written.
        pattern: the same, read.
        starter: the file beside the outline that it is copied from; `EMPTY` for an empty file; None for a folder.
        each_device: whether it is made once for each device.
        wished: whether it is made only where it is wished for (True), or unless it is left out (False); None for
            what is always made.
        name: what the part is called.
        below: what lies in it.
    """

    line: int
    text: str
    pattern: Pattern
    starter: str | None = None
    each_device: bool = False
    wished: bool | None = None
    name: str = ""
    below: tuple[Node, ...] = ()

    def all(self) -> Iterator[Node]:
        """Itself and all below it."""
        yield self
        for one in self.below:
            yield from one.all()


EMPTY = ""


@dataclass(frozen=True, slots=True)
class Landing:
    """Where captures of a job land.

    Attributes:
        line: the line of the folder.
        by: the pattern of folders below it; empty for none.
        named: the pattern of names; empty for the house's.
    """

    line: int
    by: str = ""
    named: str = ""


@dataclass(frozen=True, slots=True)
class Outline:
    """An outline.

    Attributes:
        top: the folder of the job.
        about: what it is for.
        series: the name of the series that counts its jobs.
        blanks: by their names, in the order in which they are asked for.
        landing: where captures land; None where none do.
    """

    top: Node
    about: str = ""
    series: str = SERIES
    blanks: Mapping[str, Blank] = field(default_factory=lambda: MappingProxyType({}))
    landing: Landing | None = None

    @property
    def optional(self) -> tuple[Node, ...]:
        """Its optional parts."""
        return tuple(one for one in self.top.all() if one.wished is not None)

    @property
    def starters(self) -> frozenset[str]:
        """The names of the starter files that it copies."""
        return frozenset(one.starter for one in self.top.all() if one.starter)


def read_outline(text: str) -> Outline:
    """Read an outline.

    Raises:
        OutlineError: at the first line that can't be used.
    """
    return _Reader(text).read()


@dataclass(slots=True)
class _Open:
    """A node in the making, with how far its line is moved in."""

    indent: int
    node: Node
    below: list[_Open] = field(default_factory=list)

    def closed(self) -> Node:
        return replace(self.node, below=tuple(one.closed() for one in self.below))


class _Reader:
    def __init__(self, text: str) -> None:
        self._text = text
        self._about, self._series = "", SERIES
        self._blanks: dict[str, Blank] = {}
        self._landing: Landing | None = None

    def read(self) -> Outline:
        if len(self._text.encode("utf-8", "replace")) > LONGEST:
            raise OutlineError(1, 0, "an outline is no longer than a megabyte.")
        lines = self._text.removeprefix("\ufeff").splitlines()
        if len(lines) > MOST_LINES:
            raise OutlineError(MOST_LINES + 1, 0, f"an outline has no more than {MOST_LINES:,} lines.")
        tree: list[tuple[int, int, str]] = []
        for number, line in enumerate(lines, 1):
            bare = line.strip()
            if not bare or (bare.startswith("#") and not bare.startswith("##")):
                continue
            begin = len(line) - len(line.lstrip())
            found = _HEAD.fullmatch(bare) if not begin else None
            if found:
                if tree:
                    raise OutlineError(number, 0, "this belongs above the folders.")
                self._head(number, found)
            else:
                tree.append((number, begin, line.rstrip()))
        if not tree:
            why = "there is no folder of the job, such as “jobs/{year}/{job} {title}”."
            raise OutlineError(max(len(lines), 1), 0, why)
        top = self._top(tree)
        self._need(top)
        return Outline(top, self._about, self._series, MappingProxyType(self._ordered(top)), self._landing)

    def _head(self, number: int, found: re.Match[str]) -> None:
        word, rest = found[1].lower(), found[2]
        if word == "about":
            self._about = rest
        elif word == "series":
            if not _SERIES_NAME.fullmatch(rest):
                raise OutlineError(number, found.start(2), "a series is called by a word, such as “jobs”.")
            self._series = rest
        elif word == "blank":
            self._blank(number, found.start(2), rest)
        else:
            raise OutlineError(number, 0, f"“{word}:” says nothing here; there are: about, series, blank.")

    def _blank(self, number: int, at: int, rest: str) -> None:
        parts = _said(rest)
        name = parts[0][1]
        if not _BLANK_NAME.fullmatch(name):
            raise OutlineError(number, at, "a blank is called by a word in small letters, such as “client”.")
        if name in self._blanks:
            raise OutlineError(number, at, f"the blank “{name}” is written down above already.")
        if name in DAYS or name in ("device", "letter", COUNTED, JOB):
            raise OutlineError(number, at, f"“{name}” is filled in by itself.")
        if name in PIECES and name not in USUAL:
            raise OutlineError(number, at, f"“{name}” is known of captures; call the blank otherwise.")
        for begin, one in parts[1:]:
            try:
                blank_of(name, [one])
            except BlankTrouble as error:
                raise OutlineError(number, at + begin, str(error)) from error
        self._blanks[name] = blank_of(name, [one for _, one in parts[1:]])

    def _top(self, tree: list[tuple[int, int, str]]) -> Node:
        number, begin, line = tree[0]
        if begin:
            raise OutlineError(number, 0, "the folder of the job stands at the begin of its line.")
        open_ = [_Open(0, self._node(number, 0, line, LAYOUT))]
        if open_[0].node.starter is not None or open_[0].node.wished is not None or open_[0].node.each_device:
            raise OutlineError(number, 0, "the folder of the job is one folder, and always made.")
        for number, begin, line in tree[1:]:
            indent = len(line[:begin].expandtabs(_TAB))
            if not indent:
                raise OutlineError(number, 0, "a job is one folder: what lies in it is moved in.")
            gone = None
            while open_[-1].indent >= indent:
                gone = open_.pop()
            if gone is not None and gone.indent != indent:
                raise OutlineError(number, begin, "this is moved in as far as no line above it.")
            above = open_[-1]
            if above.node.starter is not None:
                raise OutlineError(number, begin, "nothing lies in a file.")
            if len(open_) > DEEPEST:
                raise OutlineError(number, begin, f"folders go no deeper than {DEEPEST}.")
            made = _Open(indent, self._node(number, begin, line, NAME))
            above.below.append(made)
            open_.append(made)
        return open_[0].closed()

    def _node(self, number: int, begin: int, line: str, use: str) -> Node:
        parts = _said(line[begin:])
        text = parts[0][1]
        if text.startswith("##"):
            text = text[1:]
        pattern = self._pattern(number, begin, text, use)
        node = Node(number, text, pattern, name=_called(text))
        for at, one in parts[1:]:
            node = self._marked(node, begin + at, one)
        return node

    def _marked(self, node: Node, at: int, said: str) -> Node:
        word, _, rest = said.partition(" ")
        rest = rest.strip()
        if word == "captures":
            return self._land(node, at, rest)
        if word == "named" and self._landing is not None and self._landing.line == node.line:
            # A pattern of names of captures: the house's pieces, and blanks of the job.
            self._pattern(node.line, at + len(word) + 1, rest, NAME, all_pieces=True)
            self._landing = replace(self._landing, named=rest)
            return node
        if said == "each device":
            return replace(node, each_device=True)
        if said in ("if wished", "unless left out"):
            return replace(node, wished=said == "if wished")
        if said == "empty file":
            return replace(node, starter=EMPTY)
        if word == "from" and rest:
            if "/" in rest or rest.startswith("."):
                raise OutlineError(node.line, at, "a starter lies beside the outline, and is called by its name.")
            return replace(node, starter=rest)
        if word == "called" and rest:
            return replace(node, name=rest[:60])
        raise OutlineError(node.line, at, f"“{said}” says nothing of a line; there are: {_MARKS}.")

    def _land(self, node: Node, at: int, rest: str) -> Node:
        if self._landing is not None:
            raise OutlineError(node.line, at, f"captures land in line {self._landing.line} already.")
        by = ""
        if rest:
            if not rest.startswith("by "):
                why = "captures land “by” a pattern of folders, such as “captures by {device}”."
                raise OutlineError(node.line, at, why)
            by = rest[3:].strip()
            self._pattern(node.line, at + len("captures by "), by, LAYOUT, all_pieces=True)
        self._landing = Landing(node.line, by)
        return node

    def _pattern(self, number: int, at: int, text: str, use: str, *, all_pieces: bool = False) -> Pattern:
        blanks = frozenset(self._blanks) | {JOB, *USUAL}
        try:
            if (trouble := trouble_with(text, use, blanks)) is not None:
                raise trouble
            pattern = parse(text, use, blanks)
        except PatternError as error:
            raise OutlineError(number, at + error.at, error.trouble) from error
        for piece in pattern.pieces() if not all_pieces else ():
            if piece.name not in blanks and piece.name not in DAYS and piece.name not in ("device", "letter"):
                where = at + max(text.find(f"{{{piece.name}"), 0) + 1
                raise OutlineError(number, where, f"“{piece.name}” is known of captures, and not of a job.")
        return pattern

    def _need(self, top: Node) -> None:
        """What the outline lacks as a whole."""
        if JOB not in {piece.name for piece in top.pattern.pieces()}:
            raise OutlineError(top.line, 0, "the folder of a job bears its number: write “{job}” into it.")
        for device, node in _with_device(top, False):
            if not device and any(piece.name in ("device", "letter") for piece in node.pattern.pieces()):
                raise OutlineError(node.line, 0, "a device is known in a line “each device”, and below it.")
        landing = self._landing
        if landing is None:
            return
        for device, node in _with_device(top, False):
            if node.line == landing.line and (node.starter is not None or device):
                raise OutlineError(node.line, 0, "captures land in one folder.")

    def _ordered(self, top: Node) -> dict[str, Blank]:
        """Blanks as they are asked for: in the order of the job's folder first. What a folder can't be without is
        needed."""
        used = [piece.name for node in top.all() for piece in node.pattern.pieces()]
        always = {one.name for node in top.all() for one in node.pattern.parts if isinstance(one, Piece)}
        names = [*dict.fromkeys([*used, *self._blanks])]
        found = {}
        for name in names:
            if name in self._blanks or name in USUAL:
                blank = self._blanks.get(name, Blank(name))
                found[name] = replace(blank, needed=blank.needed or name in always)
        return found


_MARKS = (
    "captures, captures by {device}, named {date}, each device, if wished, unless left out, from FILE, empty file, "
    "called NAME"
)


def _with_device(node: Node, known: bool) -> Iterator[tuple[bool, Node]]:
    """Nodes, and whether each is made for a device."""
    known = known or node.each_device
    yield known, node
    for one in node.below:
        yield from _with_device(one, known)


def _said(text: str) -> list[tuple[int, str]]:
    """A line's name and what is said of it, each with where it begins."""
    parts, depth, begin = [], 0, 0
    for at, sign in enumerate(text):
        depth += (sign == "{") - (sign == "}" and depth > 0)
        apart = text[at - 1 : at].isspace() and (text[at + 1 : at + 2].isspace() or at + 1 == len(text))
        if sign == ":" and not depth and apart:
            parts.append((begin, text[begin:at]))
            begin = at + 1
    parts.append((begin, text[begin:]))
    return [(at + len(part) - len(part.lstrip()), part.strip()) for at, part in parts]


def _called(text: str) -> str:
    """What a part is called that nobody called otherwise: its name without its number."""
    found = _NUMBER.match(text) if "{" not in text else None
    return text[found.end() :] if found else text


def escaped(name: str) -> str:
    """A name as a line of an outline, none of its signs a piece or a comment."""
    text = "".join(sign * 2 if sign in "{}<>" else sign for sign in name)
    return f"#{text}" if text.startswith("#") else text


def without_blanks(text: str, values: Mapping[str, str]) -> str:
    """A pattern for captures in which the job's own blanks are filled, and stand as text.

    What captures know themselves of a job stays a piece: its number, the client, the title, who carried the device.
    """
    own = {name: value for name, value in values.items() if name not in PIECES}
    parts: list[Part] = []
    for part in parse(text, "", frozenset(own)).parts:
        if not isinstance(part, Optional):
            parts.append(_filled_part(part, own))
            continue
        inner = tuple(_filled_part(one, own) for one in part.parts)
        if "" in inner:
            continue
        parts += [Optional(inner)] if any(isinstance(one, Piece) for one in inner) else inner
    return str(Pattern(joined(parts)))


def _filled_part(part: str | Piece, own: Mapping[str, str]) -> str | Piece:
    if isinstance(part, str) or part.name not in own:
        return part
    value = own[part.name]
    return as_value(WORD_FORMS[part.form](value) if part.form else value)
