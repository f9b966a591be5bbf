"""Watching inboxes without a window: what rests comes home, as house rules say, and everything that happens is told.

Each inbox is watched by a thread of its own, so that one on a mount that hangs holds up no other. A library is opened,
and its lock taken, only while something comes home.
"""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable, Collection, Sequence
from typing import TYPE_CHECKING, Any, Protocol

from jutrek.desk.happened import Happened, Tell
from jutrek.desk.inbox_run import Brought, bring_rested, clear_rested, home_among, together_with
from jutrek.desk.inboxes import WatchedFolder
from jutrek.desk.outside_watch import OutsideWatch
from jutrek.desk.places import places_of
from jutrek.disk import own, patiently
from jutrek.errors import JutrekError, LibraryBusy, Stopped, shown
from jutrek.filing import Cleared, OnArrival
from jutrek.filing.rulebook import load_rules
from jutrek.library import apart, open_library
from jutrek.sources.resting import RESTS, Inbox, Seen
from jutrek.transfer import recover
from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.filing import HouseRules
    from jutrek.library import Library
    from jutrek.sources import SourceFile

_AGAIN, _SOON, _LATER = 600.0, 5.0, 60.0
"""Seconds after which an inbox is looked at: one that nobody told of, one whose library was busy, one in trouble."""
_PATIENCE = 30.0
"""Seconds after which an inbox is told as one that does not answer."""
_ROUNDS = 3
"""How often one is looked at that is watched once, until all in it rests."""


_Key = tuple[str, int, int]


class InboxWatcher:
    """Watches one inbox.

    Attributes:
        failed: whether something did not come home that was to.
    """

    def __init__(self, entry: WatchedFolder, tell: Tell, stop: threading.Event, *, rests: float = RESTS) -> None:
        """
        Args:
            entry: the inbox.
            tell: hears what happens; on the watcher's thread.
            stop: ends it when it is set; a run at work ends safely.
            rests: seconds after which a file rests.
        """
        self._entry, self._tell, self._stop = entry, tell, stop
        self._rests = rests
        self._inbox: Inbox | None = None
        self._settled: set[_Key] = set()
        """Files that came home, wait, or are left, as they were then."""
        self._waiting: set[_Key] = set()
        """Those of them that wait: a person may have brought them home meanwhile."""
        self._runs: object = None
        """When something was done last in the library, as far as this knows."""
        self._seen: dict[str, SourceFile] = {}
        self._to_clear: set[str] = set()
        self._told: dict[str, str] = {}
        """What was told last of each file and of the inbox: the same is not told again."""
        self.failed = False
        self._wake = threading.Event()

    # ---- watching

    def run(self) -> None:
        """Watch until `stop` is set."""
        hints = OutsideWatch(self._entry.root, self._wake.set, at_once=True)
        hints.start()
        self._say("watching", f"Watching {shown(self._entry.root)}.")
        try:
            while not self._stop.is_set():
                self._wake.clear()
                if self._stop.is_set():
                    # Whoever wakes it to end may have done so just before.
                    return
                wait = self.look()
                self._wake.wait(min(wait, _AGAIN))
        finally:
            hints.stop()

    def once(self) -> None:
        """Look until all that is in it rests, but a few times at most, and bring home what does."""
        for number in range(_ROUNDS):
            wait = self.look()
            if self._stop.is_set() or wait > 2 * self._rests + 1 or number == _ROUNDS - 1:
                return
            self._stop.wait(wait + 0.1)

    def wake(self) -> None:
        """Look now, or end where `stop` is set."""
        self._wake.set()

    def look(self) -> float:
        """Look once, and bring home what rests. Returns after how many seconds to look again at the latest."""
        try:
            return self._look()
        except Stopped:
            return 0.0
        except LibraryBusy as error:
            self._say_once("", "busy", str(error))
            return _SOON
        except TimeoutError:
            self._say_once("", "trouble", f"{shown(self._entry.root)} does not answer.")
            return _LATER
        except (JutrekError, OSError) as error:
            self.failed = True
            self._say_once("", "trouble", str(error))
            return _LATER

    def _look(self) -> float:
        home = open_library(self._entry.library)
        rules = load_rules(home).rules
        arrivals = OnArrival.BY_ITSELF if self._entry.by_itself else rules.arrivals
        if arrivals is OnArrival.LEAVE:
            return _AGAIN
        runs = _runs_of(home)
        if self._waiting and runs != self._runs:
            self._look_again(home, rules, asks=arrivals is OnArrival.ASK)
        seen = self._seen_now(home)
        if seen.trouble:
            self._say_once("", "trouble", f"{shown(self._entry.root)}: {seen.trouble}")
            return _LATER
        self._told.pop("", None)
        self._seen |= {one.path: one for one in seen.files}
        if seen.files and arrivals is OnArrival.ASK:
            self._ask(seen.files)
            self._runs = runs
        elif seen.files:
            self._bring(home, rules, seen.files)
        if self._to_clear and rules.cleared is not Cleared.NEVER:
            self._clear(home, rules)
        return _AGAIN if seen.again is None else seen.again + 0.1

    def _seen_now(self, home: Library) -> Seen:
        root, settled = self._entry.root, frozenset(self._settled)

        def look() -> Seen:
            if self._inbox is None:
                self._inbox = Inbox(root, leave_out=apart(root, home), rests=self._rests)
            return self._inbox.look(settled)

        # A name of its own: the board asks the same folder for itself.
        return patiently(f"what rests in {root}", look, _PATIENCE)

    # ---- what comes of it

    def _look_again(self, home: Library, rules: HouseRules, *, asks: bool) -> None:
        """Something was done in the library: what waits may be home by now."""
        if not asks:
            self._settled -= self._waiting
            self._waiting.clear()
        elif rules.cleared is not Cleared.NEVER:
            from jutrek.library.ledger import Ledger

            self._runs = _runs_of(home)
            waiting = [one for one in self._seen.values() if _key(one) in self._waiting and _is_as_seen(one)]
            with Ledger(home.ledger_path) as ledger:
                found = home_among(self._entry.root, waiting, home, ledger, rules, stop=self._stop)
            self._to_clear |= found
            self._waiting = {one for one in self._waiting if one[0] not in found}

    def _ask(self, files: Sequence[SourceFile]) -> None:
        self._settled.update(map(_key, files))
        self._waiting.update(map(_key, files))
        count = counted(len(files), "file waits", "files wait")
        self._say("waits", f"{count} in {shown(self._entry.root)} to be brought home.", files=len(files))

    def _bring(self, home: Library, rules: HouseRules, files: Sequence[SourceFile]) -> None:
        from jutrek.library.ledger import Ledger

        wanted = together_with(files, filter(_is_as_seen, self._seen.values()))
        with Ledger(home.ledger_path) as ledger:
            recover(home, ledger)
            brought = bring_rested(
                self._entry.root, wanted, home, ledger, rules, places_of(home), stop=self._stop
            )  # fmt: skip
            self._take(brought, wanted)
        self._runs = _runs_of(home)

    def _take(self, brought: Brought, files: Sequence[SourceFile]) -> None:
        """Learn what came of files, and tell it."""
        failed = dict(brought.failed)
        # What failed, or was not reached, is tried again; all else is known until it changes.
        settled = {path for path, _ in brought.waits} | brought.home
        waits = {path for path, _ in brought.waits}
        self._settled.update(_key(one) for one in files if one.path in settled and one.path not in failed)
        self._waiting.update(_key(one) for one in files if one.path in waits and one.path not in failed)
        self._to_clear |= brought.home
        if brought.came:
            words = f"{counted(brought.came, 'file is', 'files are')} home from {shown(self._entry.root)}."
            self._say("home", words, files=brought.came, run=brought.run)
        for event, told in (("waits", brought.waits), ("failed", brought.failed)):
            for path, why in told:
                self._say_once(path, event, f"{shown(path)}: {why}", file=path, why=why)
        if brought.trouble or failed:
            self.failed = True
            self._say_once("", "trouble", brought.trouble or next(iter(failed.values())))

    def _clear(self, home: Library, rules: HouseRules) -> None:
        from jutrek.library.ledger import Ledger

        with Ledger(home.ledger_path) as ledger:
            done = clear_rested(
                self._entry.root, frozenset(self._to_clear), home, ledger, rules, places_of(home), stop=self._stop
            )  # fmt: skip
        self._to_clear -= done.gone
        self._seen = {path: one for path, one in self._seen.items() if path not in done.gone}
        if done.gone:
            words = f"{counted(len(done.gone), 'file')} cleared from {shown(self._entry.root)}: proven home."
            self._say("cleared", words, files=len(done.gone))
        for path, why in done.stays:
            self._say_once(path, "stays", f"{shown(path)} stays: {why}", file=path, why=why)

    def _say(self, event: str, words: str, **facts: Any) -> None:
        self._tell(Happened(event, "inbox", self._entry.root, words, facts))

    def _say_once(self, about: str, event: str, words: str, **facts: Any) -> None:
        """Tell something of a file, or of the inbox, unless it was told last."""
        if self._told.get(about) != words:
            self._told[about] = words
            self._say(event, words, **facts)


def _is_as_seen(one: SourceFile) -> bool:
    """Whether a file that rested once is still there as it was: else it has to rest again."""
    try:
        return one.stamp.unchanged(os.lstat(one.path))
    except OSError:
        return False


def _runs_of(home: Library) -> object:
    """When a run of the library was begun last; None where none was."""
    try:
        return os.stat(home.tree.at(own("journal"))).st_mtime_ns
    except OSError:
        return None


def _key(one: SourceFile) -> _Key:
    return one.path, one.size, one.mtime_ns


class Watcher(Protocol):
    """What watches a folder on a thread of its own."""

    def run(self) -> None:
        """Watch until it is told to end."""

    def wake(self) -> None:
        """Look now, or end where it was told to."""


def watch(
    make: Callable[[Tell], Collection[Watcher]], tell: Tell, stop: threading.Event, *, patience: float = 60.0
) -> bool:
    """Watch folders until `stop` is set.

    Args:
        make: makes what watches them, of what hears what happens.
        tell: hears what happens, one at a time.
        stop: ends it.
        patience: seconds for which runs that are at work are waited for, to end safely. What hangs is left behind.

    Returns:
        Whether all ended by themselves.
    """
    speaks = threading.Lock()

    def told(one: Happened) -> None:
        with speaks:
            tell(one)

    watchers = make(told)
    threads = [threading.Thread(target=one.run, name=f"watching {one}", daemon=True) for one in watchers]
    for thread in threads:
        thread.start()
    stop.wait()
    until = time.monotonic() + patience
    for watcher in watchers:
        watcher.wake()
    for thread in threads:
        thread.join(max(0.0, until - time.monotonic()))
    return not any(thread.is_alive() for thread in threads)
