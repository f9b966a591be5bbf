"""The doubles of a library as people settle them: groups, what tells their files apart, what was decided, the tray."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import TYPE_CHECKING

from jutrek.decoding import Shown, shown
from jutrek.desk.details import bytes_words, size_words
from jutrek.doubles.degrees import Degree, Group
from jutrek.errors import SourceUnreadable
from jutrek.formats import Offset, Reading, Wording, read
from jutrek.library import Library, ProofMark
from jutrek.transfer.metadata_merge import lacking, sidecar_of
from jutrek.transfer.setting_aside import Drop
from jutrek.transfer.tray import Trayed

if TYPE_CHECKING:
    from jutrek.library.contents import Content
    from jutrek.library.ledger import Ledger

LABELS = (
    "Name", "Folder", "Shot", "Picture or sound", "The picture itself", "Keywords and rights", "Turned", "Came with",
)  # fmt: skip
_TURNED = {
    1: "no", 2: "mirrored", 3: "180°", 4: "mirrored, 180°", 5: "mirrored, 90° left", 6: "90° right",
    7: "mirrored, 90° right", 8: "90° left",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class FileFacts:
    """What is known of one file of a group.

    Attributes:
        path: relative to the library.
        view: what its picture is made of; None where it could not be read.
        duration: in seconds; 0.0 for stills.
        words: for each of `LABELS`.
        readings: what it says, and what its sidecar says.
    """

    path: str
    view: Shown | None
    duration: float
    words: tuple[str, ...]
    readings: tuple[Reading, ...] = ()


@dataclass(frozen=True, slots=True)
class Verdict:
    """What was decided about a group.

    Attributes:
        group: what it is about.
        keeper: the path of the file that stays; empty where all of them do.
        carries: whether words, rights and date go over to the keeper.
    """

    group: Group
    keeper: str
    carries: bool = True

    @property
    def dropped(self) -> tuple[Content, ...]:
        """The files that are set aside."""
        return tuple(one for one in self.group.files if self.keeper and one.path != self.keeper)


@dataclass(frozen=True, slots=True)
class Pile:
    """Groups that can be decided together, and what that would come to."""

    words: str
    groups: tuple[Group, ...]
    files: int
    size: int

    @property
    def carries(self) -> bool:
        """Whether words, rights and dates may go over to keepers."""
        return any(group.degree is not Degree.BYTES for group in self.groups)


@dataclass(frozen=True, slots=True)
class Decided:
    """What is decided so far: an immutable value, with the ones before it.

    Attributes:
        verdicts: by the keys of groups.
        before: what was decided before the last step; None at the beginning.
    """

    verdicts: dict[str, Verdict] = field(default_factory=dict)
    before: Decided | None = None

    def with_all(self, verdicts: Iterable[Verdict]) -> Decided:
        """One step further."""
        return Decided({**self.verdicts, **{one.group.key: one for one in verdicts}}, self)

    def without(self, key: str) -> Decided:
        """A group is open again."""
        return Decided({other: one for other, one in self.verdicts.items() if other != key}, self)

    @property
    def dropped(self) -> tuple[Content, ...]:
        """All files that are to be set aside, each once."""
        files = {file.path: file for one in self.verdicts.values() for file in one.dropped}
        return tuple(files.values())

    @property
    def kept(self) -> tuple[Group, ...]:
        """Groups of which all files stay."""
        return tuple(one.group for one in self.verdicts.values() if not one.keeper)


def drops_of(decided: Decided) -> list[Drop]:
    """What is to be set aside, each file for the one that stays in the end.

    A file may be the keeper of one group and be set aside in another: then what stays there stays for both.
    """
    verdicts = [one for one in decided.verdicts.values() if one.keeper]
    instead = {file.path: one for one in verdicts for file in one.dropped}
    found: dict[str, Drop] = {}
    for one in verdicts:
        keeper, degree = one.keeper, one.group.degree
        files = {file.path: file for file in one.group.files}
        seen = {keeper}
        while (other := instead.get(keeper)) is not None and other.keeper not in seen:
            files |= {file.path: file for file in other.group.files}
            # Over two groups two files are only as much the same as the weaker of the two says.
            degree = max(degree, other.group.degree, key=list(Degree).index)
            keeper = other.keeper
            seen.add(keeper)
        stays = files[keeper]
        for file in one.dropped:
            if file.path != keeper:
                found[file.path] = Drop(file.path, file.stamp, keeper, stays.stamp, degree, one.carries)
    return list(found.values())


def piles_of(groups: Sequence[Group], decided: Decided) -> list[Pile]:
    """Ways to decide many groups of one degree at once. What is only the same by its looks is seen one by one."""
    left = [one for one in groups if one.degree in _CERTAIN and one.key not in decided.verdicts]
    piles: list[Pile] = []
    for words, fits in (
        ("The proposed ones stay", lambda one: True),
        ("Those in dated folders stay", lambda one: one.dated),
    ):
        own = tuple(one for one in left if fits(one))
        if own and (not piles or len(own) < len(piles[0].groups)):
            files = sum(len(one.files) - 1 for one in own)
            piles.append(Pile(words, own, files, sum(one.free for one in own)))
    return piles


_CERTAIN = frozenset({Degree.BYTES, Degree.PAYLOAD})


_DEGREES = {
    Degree.BYTES: "exactly the same", Degree.PAYLOAD: "other notes", Degree.PICTURE: "saved another way",
    Degree.ALIKE: "look alike",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Summary:
    """A group in a few words: how many files, from when, what differs; and whether their dates differ."""

    files: str
    when: str
    differs: str
    dates_differ: bool


def summary_of(group: Group) -> Summary:
    """What the list of groups says of one."""
    dates = {one.taken[:19] for one in group.files if one.taken}
    apart = len(dates) > 1 and group.degree is not Degree.ALIKE
    differs = ", ".join(_differences(group, apart)) or _DEGREES[group.degree]
    return Summary(f"{len(group.files)} files", _when_words(group), differs, apart)


def _when_words(group: Group) -> str:
    days = sorted({one.taken[:10] for one in group.files if len(one.taken) >= 10})
    if not days:
        return "no date inside"
    if len(days) == 1:
        return f"{datetime.fromisoformat(days[0]):%-d %B %Y}"
    years = sorted({day[:4] for day in days})
    return " – ".join(dict.fromkeys((years[0], years[-1])))


def _differences(group: Group, dates_differ: bool) -> Iterator[str]:
    files, keeper = group.files, group.files[0]
    if group.degree is Degree.PAYLOAD:
        if dates_differ:
            yield "date differs"
        if len({one.worded for one in files}) > 1:
            yield "keywords differ"
        if len({(one.width, one.height) for one in files}) > 1:
            yield "turned"
    elif group.degree is Degree.PICTURE:
        if any(one.width * one.height < 0.8 * keeper.width * keeper.height for one in files):
            yield "smaller"
        if len({one.format for one in files}) > 1:
            yield "other format"
        if {one.width > one.height for one in files if one.width} == {True, False}:
            yield "turned"
    elif len({os.path.basename(one.path) for one in files}) == 1:
        yield "same name"


def facts_of(group: Group, library: Library, ledger: Ledger) -> tuple[FileFacts, ...]:
    """What tells the files of a group apart. Reads every one of them."""
    equal = group.degree in _CERTAIN
    return tuple(_facts(one, library, ledger, ledger.mark_of(one.path), equal=equal) for one in group.files)


def _facts(one: Content, library: Library, ledger: Ledger, proof: ProofMark | None, *, equal: bool) -> FileFacts:
    path = ledger.stored.at(library.root, one.path)
    try:
        reading = read(path)
    except SourceUnreadable:
        return FileFacts(one.path, None, 0.0, (os.path.basename(one.path), _folder(one.path), *("",) * 6))
    sidecar, beside = sidecar_of(library, one.path)
    own = [reading]
    if beside:
        try:
            own.append(read(os.path.join(library.root, sidecar)))
        except SourceUnreadable:
            beside = False
    wording = _together([part.wording for part in own if part.wording is not None])
    words = _wording_words(wording)
    if beside:
        words = f"{words} (sidecar)" if words != "none" else "a sidecar without words"
    return FileFacts(
        one.path, shown(path, reading), reading.duration,
        (
            os.path.basename(one.path), _folder(one.path), _shot_words(one.taken),
            f"{size_words(reading) or one.format}, {one.format}, {bytes_words(one.size)}",
            _payload_words(one, equal=equal),
            words, _TURNED.get(reading.orientation, "no"), _came_words(one, ledger, proof),
        ),
        tuple(own),
    )  # fmt: skip


def beside_keeper(item: Trayed, root: str) -> tuple[FileFacts, ...]:
    """What lies in the tray, and the file that it was set aside for, if there is one, as far as a picture needs it.

    Nothing is read.
    """
    lies = FileFacts(item.path, Shown(os.path.join(root, item.path)), 0.0, (os.path.basename(item.was),))
    if not item.keeper:
        return (lies,)
    stays = Shown(os.path.join(root, item.keeper))
    return (
        lies,
        FileFacts(item.keeper, stays, 0.0, (os.path.basename(item.keeper),)),
    )


def carried_words(files: Sequence[FileFacts], keeper: int) -> str:
    """What would be carried over to a file from the others of its group; empty for nothing."""
    others = [reading for at, one in enumerate(files) if at != keeper for reading in one.readings]
    said = lacking(files[keeper].readings, others)
    if not said:
        return ""
    wording = Wording(said.title, said.place, said.job, said.keywords, said.creator, said.rights)
    date = f"shot {_shot_words(said.date)}" if said.date else ""
    words = _wording_words(wording)
    return " · ".join(part for part in ("" if words == "none" else words, date) if part)


def _folder(path: str) -> str:
    return " / ".join(os.path.dirname(path).split(os.sep)) or "the library itself"


def _shot_words(taken: str) -> str:
    if not taken:
        return "no date inside"
    try:
        at = datetime.fromisoformat(taken)
    except ValueError:
        return taken
    if len(taken) <= 10:
        return f"{at:%-d %B %Y}"
    offset = at.utcoffset()
    zone = f" {Offset(int(offset.total_seconds()) // 60)}" if offset is not None else ""
    return f"{at:%-d %B %Y, %H:%M:%S}{zone}"


def _payload_words(one: Content, *, equal: bool) -> str:
    if not one.payload:
        return "not looked at"
    return f"{bytes_words(one.payload)}, equal" if equal else bytes_words(one.payload)


def _together(wordings: Sequence[Wording]) -> Wording:
    found = Wording()
    for one in wordings:
        found = Wording(
            found.title or one.title, found.place or one.place, found.job or one.job,
            tuple(dict.fromkeys((*found.keywords, *one.keywords))), found.creator or one.creator,
            found.rights or one.rights,
        )  # fmt: skip
    return found


def _wording_words(wording: Wording) -> str:
    parts = [wording.title, wording.place, wording.job, ", ".join(wording.keywords), wording.creator]
    rights = wording.rights if wording.rights.startswith("©") or not wording.rights else f"© {wording.rights}"
    return " · ".join(part for part in (*parts, rights) if part) or "none"


def _came_words(one: Content, ledger: Ledger, proof: ProofMark | None) -> str:
    if ledger.filed(one.path) is None:
        return "found when the library was looked at"
    if proof is not None and not proof.stands:
        return f"found {proof.state} on {datetime.fromisoformat(proof.at):%-d %B %Y}"
    if proof is None:
        return "an intake"
    return f"an intake of {datetime.fromisoformat(proof.at):%-d %B %Y}"
