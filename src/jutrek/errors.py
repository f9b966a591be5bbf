"""Everything that can go wrong, as classes with values.

    JutrekError
    ├── FileTrouble            this file: it is reported, the run goes on
    │   ├── TooLargeToShow     a picture that would take too much memory: its file is handled like any other
    │   ├── BrokenFile         the bytes contradict their format
    │   ├── SourceUnreadable   the source does not give the file's bytes
    │   ├── SourceGone         the source itself is away: pulled, or unplugged
    │   ├── SourceChanged      the file is not the one that the plan was made for
    │   ├── NotMoved           a file of the library that a re-filing cannot move
    │   ├── NameTaken          the destination exists with other content
    │   ├── NotInside          a path that leads out of where it belongs
    │   ├── CopyRefused        the place refuses this one file
    │   ├── CopyDiffers        what was read back is not what was read
    │   ├── SourceLies         a second reading of the source gave other bytes
    │   └── SourceRotted       what was proven once reads differently now
    ├── RunTrouble             this run: it stops safely, what is proven stays
    │   ├── Stopped            somebody asked it to
    │   ├── PlaceFull          no room left
    │   └── PlaceLost          read-only, unplugged, answering with errors
    ├── DriveTrouble           a medium that cannot be mounted, unmounted or let go
    │   └── DriveBusy          something still uses it
    ├── OurFault               an error in Jutrek itself
    └── LibraryTrouble         this library: nothing is begun
        ├── LibraryMissing     no such folder, or not one that can be used
        │   └── NoLibrary      a folder that is no library
        ├── CantStart          a job that can't be started as it was said
        ├── NotFinished        folders or files that are not all there yet; the next start finishes them
        ├── NotMade            folders or files that could not be made; nothing of them is left
        ├── NotPossible        what was asked for can't be done as things are
        ├── PageBroken         a page that the library keeps is damaged
        ├── LibraryBusy        another Jutrek is at work in it
        ├── OutboxBusy         another Jutrek is filling this outbox
        ├── LedgerUnusable     the ledger cannot be opened or made
        ├── SourceRefused      a source that is the library, or lies inside it
        ├── RulesBroken        house rules that are no rules
        ├── PlaceUnusable      a folder that cannot be a place of copies, or is not connected
        ├── PlanUnusable       a plan file that is not one, or one of another library
        ├── NoSuchDay          a day was described on which nothing was made
        ├── NoSuchDevice       a letter that no device of the intake bears
        └── NoSuchQuestion     an answer to a question that is not open

Each class builds its sentence from its values: what happened, and what it means for the files.
"""

from __future__ import annotations

import errno
import os
from collections.abc import Sequence
from datetime import date


def shown(path: str | os.PathLike[str]) -> str:
    """A path as one printable line: undecodable bytes and control characters are escaped."""
    given = os.fspath(path)
    if given.isascii() and given.isprintable():
        return given
    text = given.encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")
    return "".join(sign if sign.isprintable() else sign.encode("unicode_escape").decode() for sign in text)


def reason(error: OSError) -> str:
    """The system's own words for an error, in lower case and without the path."""
    if error.errno == errno.ELOOP:
        return "a link is on the way, and links in a library are not followed"
    return (os.strerror(error.errno) if error.errno else str(error)).lower()


class JutrekError(Exception):
    """The root: every error that Jutrek raises on purpose."""


class OurFault(JutrekError):
    """An error in Jutrek that nobody foresaw. The log has its traceback."""

    def __init__(self, error: Exception) -> None:
        super().__init__(
            f"Something went wrong in Jutrek itself ({type(error).__name__}: {error}). Sources are untouched, and what "
            "is home is proven. The log has the details."
        )
        self.error = error


class DriveTrouble(JutrekError):
    """A medium cannot be mounted, unmounted or let go."""

    def __init__(self, name: str, what: str) -> None:
        super().__init__(f"{shown(name) or 'The drives'}: {what}.")
        self.name, self.what = name, what


class DriveBusy(DriveTrouble):
    """Something still uses the medium."""

    def __init__(self, name: str) -> None:
        super().__init__(name, "another program still uses it; close what is open on it, then try again")


class FileTrouble(JutrekError):
    """Trouble with one file. The run goes on with the next one."""


class TooLargeToShow(FileTrouble):
    """A picture needs more memory than pictures may take."""

    def __init__(self) -> None:
        super().__init__("This picture is too large to be shown. Its file is handled like any other.")


class BrokenFile(FileTrouble):
    """The content contradicts its format.

    Args:
        offset: where in the file, in bytes, the contradiction shows; negative in bytes that were unpacked.
        expected: what the format asks for there.
        got: what stands there instead.
    """

    def __init__(self, offset: int, expected: str, got: str) -> None:
        at = f" at byte {offset}" if offset >= 0 else ""
        super().__init__(f"Damaged{at}: expected {expected}, found {got}.")
        self.offset = offset
        self.expected = expected
        self.got = got


class SourceUnreadable(FileTrouble):
    """A file on a source cannot be opened or read."""

    def __init__(self, path: str, error: OSError, *, at: int | None = None) -> None:
        where = "" if at is None else f" at byte {at:,}"
        super().__init__(f"{shown(path)} could not be read{where}: {reason(error)}. It stays on the source.")
        self.path = path
        self.error = error


class SourceGone(FileTrouble):
    """The source is not there any more. Its files can come home another time."""

    def __init__(self, root: str) -> None:
        super().__init__(f"{shown(root)} is gone. What was on it stays there; connect it again to bring the rest home.")
        self.root = root


class SourceLies(FileTrouble):
    """Two readings of a file on a source gave different bytes: the card, its reader or a cable is not to be trusted."""

    def __init__(self, path: str) -> None:
        super().__init__(
            f"{shown(path)} read differently the second time: the card, its reader or a cable can't be trusted. "
            "It was not brought home."
        )
        self.path = path


class SourceRotted(FileTrouble):
    """A file that was proven once reads differently now, although nobody changed it: its medium is failing."""

    def __init__(self, path: str) -> None:
        super().__init__(
            f"{shown(path)} reads differently than when it was proven, although its time is the same: its medium may "
            "be failing. It was not copied on; mend it from a backup."
        )
        self.path = path


class SourceChanged(FileTrouble):
    """The file on the source is not what it was when the plan was made."""

    def __init__(self, path: str, what: str) -> None:
        super().__init__(f"{shown(path)} changed since the plan was made ({what}). It was not brought home.")
        self.path = path


class NameTaken(FileTrouble):
    """Something else bears the destination's name by now. It is left as it is."""

    def __init__(self, destination: str) -> None:
        super().__init__(
            f"{shown(destination)} exists already with other content. It was left alone; "
            "the source keeps its file, and a new plan gives it another name."
        )
        self.destination = destination


class NotInside(FileTrouble):
    """A path that does not lie where it must: in its library, its place or its source. Nothing is done with it."""

    def __init__(self, path: str, why: Exception) -> None:
        super().__init__(f"{shown(path)} was left alone: it is {why}.")
        self.path = path


class NotMoved(FileTrouble):
    """A file of the library stays where it is, and why."""

    def __init__(self, path: str, why: str | OSError) -> None:
        words = reason(why) if isinstance(why, OSError) else why
        super().__init__(f"{shown(path)} was not moved: {words}.")
        self.path = path


class CopyRefused(FileTrouble):
    """The place cannot take this one file (name too long, file too large, a folder in the way)."""

    def __init__(self, destination: str, error: OSError) -> None:
        super().__init__(f"{shown(destination)} could not be written: {reason(error)}. The source keeps its file.")
        self.destination = destination
        self.error = error


class CopyDiffers(FileTrouble):
    """The bytes read back from the place are not the bytes read from the source."""

    def __init__(self, destination: str, place: str, at: Sequence[tuple[int, int]]) -> None:
        """
        Args:
            at: first and last byte of the stretches that differ, the first few of them.
        """
        where = ", ".join(f"{first:,}" if first == last else f"{first:,} to {last:,}" for first, last in at)
        bytes_ = f" at byte {where}" if at else ""
        super().__init__(
            f"{shown(destination)} read back differently in {shown(place)}{bytes_}, twice. The copy was removed; "
            "the source keeps its file."
        )
        self.destination, self.place, self.at = destination, place, tuple(at)


class RunTrouble(JutrekError):
    """Trouble that ends a run safely: what is proven stays, the rest stays on its source."""


class Stopped(RunTrouble):
    """Somebody asked the run to stop."""

    def __init__(self) -> None:
        super().__init__("Stopped. What is home is proven; the rest is untouched on its source.")


class PlaceFull(RunTrouble):
    """The place has no room left."""

    def __init__(self, place: str) -> None:
        super().__init__(f"{shown(place)} is full. What is home is proven; make room and bring the rest home again.")
        self.place = place


class PlaceLost(RunTrouble):
    """The place turned read-only, was unplugged or answers with errors."""

    def __init__(self, place: str, error: OSError) -> None:
        super().__init__(
            f"{shown(place)} can't be written any more: {reason(error)}. What is home is proven; "
            "the rest stays on its source."
        )
        self.place = place
        self.error = error


class LibraryTrouble(JutrekError):
    """The library or a place cannot be used. Nothing is begun."""


class LibraryMissing(LibraryTrouble):
    """There is no usable folder where the library should be."""

    def __init__(self, path: str, what: str) -> None:
        super().__init__(f"The library {shown(path)} can't be used: {what}.")
        self.path = path


class NoLibrary(LibraryMissing):
    """The folder is none. Nothing was made of it."""

    def __init__(self, path: str, near: Sequence[str]) -> None:
        """
        Args:
            near: libraries near it, that may have been meant.
        """
        JutrekError.__init__(
            self,
            f"{shown(path)} is no library. "
            + (
                f"Did you mean {' or '.join(map(shown, near))}?"
                if near
                else f"`jutrek library new {shown(path)}` makes one of it."
            ),
        )
        self.path, self.near = path, tuple(near)


class NoAnswer(LibraryTrouble):
    """A disk hangs, and was given up. What was asked of it may still happen there; nothing waits for it."""

    def __init__(self, name: str, seconds: float) -> None:
        """
        Args:
            name: what people call it; empty where that is not known.
            seconds: for how long it has not answered.
        """
        super().__init__(
            f"{shown(name) or 'A disk'} has not answered for {seconds:.0f} s and was let go. The journal tells how far "
            "what was at work has come. Choose the library again when it is there."
        )
        self.name, self.seconds = name, seconds


class PageBroken(LibraryTrouble):
    """A page that the library keeps cannot be used. It is left as it is."""

    def __init__(self, path: str, what: str) -> None:
        super().__init__(f"{shown(path)} can't be used: {what.rstrip('.')}. Put it right, or move it away.")
        self.path, self.what = path, what


class OutboxBusy(LibraryTrouble):
    """Another Jutrek is filling an outbox."""

    def __init__(self, root: str) -> None:
        super().__init__(f"{shown(root)} is being filled by another Jutrek just now.")


class LibraryBusy(LibraryTrouble):
    """Another Jutrek holds the library's lock."""

    def __init__(self, path: str) -> None:
        super().__init__(f"Another Jutrek is at work in {shown(path)}. It can be used as soon as that has ended.")
        self.path = path


class LedgerUnusable(LibraryTrouble):
    """The ledger of a library cannot be opened."""

    def __init__(self, path: str, what: str) -> None:
        super().__init__(f"The ledger {shown(path)} can't be used: {what}. Your files are not affected.")
        self.path = path


class PlaceUnusable(LibraryTrouble):
    """A folder cannot be a place of copies, or a place cannot be reached."""

    def __init__(self, path: str, what: str) -> None:
        super().__init__(f"{shown(path)} can't be used for copies: {what}.")
        self.path = path


class SourceRefused(LibraryTrouble):
    """The source is the library, or lies inside it."""

    def __init__(self, source: str, library: str) -> None:
        super().__init__(f"{shown(source)} lies inside the library {shown(library)}: its files are home already.")
        self.source = source


class PlanUnusable(LibraryTrouble):
    """A plan file that cannot be read, or does not fit the library."""

    def __init__(self, path: str, what: str) -> None:
        super().__init__(f"The plan {shown(path)} can't be used: {what}.")
        self.path = path


class NotPossible(LibraryTrouble):
    """What was asked for can't be done as things are.

    Args:
        path: the library, file or card that it is about.
        what: one clause that says why.
    """

    def __init__(self, path: str, what: str) -> None:
        super().__init__(f"{shown(path)}: {what}.")
        self.path = path


class CantStart(LibraryTrouble):
    """A job that can't be started as it was said.

    Args:
        why: a sentence.
        blank: that it is about; empty for none.
    """

    def __init__(self, why: str, blank: str = "") -> None:
        super().__init__(why)
        self.blank = blank


class NotMade(LibraryTrouble):
    """Folders and files that were to be made were not.

    Args:
        path: of what was to be made.
        why: one clause that says why not, or the system's error.
    """

    def __init__(self, path: str, why: str | OSError) -> None:
        words = reason(why) if isinstance(why, OSError) else why
        super().__init__(f"{shown(path)} was not made: {words}. Nothing of it was left behind.")
        self.path = path


class NotFinished(LibraryTrouble):
    """Folders and files that were being made are not all there, or not all written down.

    Args:
        path: of what is made.
        why: the error that kept it from being finished.
    """

    def __init__(self, path: str, why: Exception) -> None:
        words = reason(why) if isinstance(why, OSError) else str(why).rstrip(".")
        super().__init__(f"{shown(path)} is not all there yet: {words}. The next start finishes it.")
        self.path = path


class RulesBroken(LibraryTrouble):
    """A page of house rules that cannot be used.

    Args:
        line: where on it, from 1.
        what: what is wrong there.
    """

    def __init__(self, path: str, line: int, what: str) -> None:
        super().__init__(f"{shown(path)}, line {line}: {what if what[-1:] in '.?' else f'{what}.'}")
        self.path, self.line = path, line


PLACE_IS_FULL = frozenset({errno.ENOSPC, errno.EDQUOT})
PLACE_IS_LOST = frozenset({errno.EROFS, errno.EIO, errno.ENODEV, errno.ENXIO, errno.ENOTCONN, errno.ESTALE})


def of_place(place: str, destination: str, error: OSError) -> JutrekError:
    """Tell whether an error while writing is the place's or this file's."""
    if error.errno in PLACE_IS_FULL:
        return PlaceFull(place)
    if error.errno in PLACE_IS_LOST:
        return PlaceLost(place, error)
    return CopyRefused(destination, error)


class NoSuchDevice(LibraryTrouble):
    """A letter that no device of the intake bears."""

    def __init__(self, letter: str, letters: Sequence[str]) -> None:
        """
        Args:
            letters: those that devices bear.
        """
        self.letter, self.letters = letter, tuple(letters)
        super().__init__(f"No device has the letter {letter!r}; there are: {', '.join(letters) or 'none'}.")


class NoSuchDay(LibraryTrouble):
    """A day was described on which nothing of the intake was made."""

    def __init__(self, day: date, days: Sequence[date]) -> None:
        """
        Args:
            days: those that captures are filed under, in order.
        """
        span = f"there are {len(days)} days from {days[0]} to {days[-1]}" if days else "there is none with a date"
        super().__init__(f"Nothing of these sources is filed under {day}: {span}.")


class NoSuchQuestion(LibraryTrouble):
    """An answer was given to a question that is not open, or one that it does not have."""

    def __init__(self, sign: str, what: str) -> None:
        super().__init__(f"There is no answer “{sign}”: {what}.")
        self.sign = sign
