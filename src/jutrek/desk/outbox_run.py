"""Keeping one outbox in step with its library, once."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable
from typing import TYPE_CHECKING

from jutrek.desk.looking_at import looked_at, rows_of
from jutrek.desk.outboxes import Outbox, outbox_at, outboxes, remove_outbox
from jutrek.errors import NotPossible, Stopped
from jutrek.filing.rulebook import load_rules
from jutrek.library import drives_here
from jutrek.library.stored import lying
from jutrek.outboxes.record import Record
from jutrek.outboxes.step import Synced, in_step
from jutrek.outboxes.wanted import wanted_of

if TYPE_CHECKING:
    from jutrek.outboxes.wanted import Wanted

Report = Callable[[str, int, int], None]


def keep_in_step(entry: Outbox, *, stop: threading.Event, report: Report = lambda what, done, total: None) -> Synced:
    """Bring an outbox in step with what it is to hold.

    Args:
        entry: the outbox.
        stop: ends it when it is set; the next time goes on.
        report: told what is going on, how far it is, and how far it goes.

    Raises:
        LibraryTrouble: when its library can't be opened, its folder is not there, somebody else is filling it, or
            nothing can be said of what it holds. Nothing in it changed then.
        Stopped: when `stop` was set before anything in it changed; or it was removed, or told anew, meanwhile.
    """
    if not os.path.isdir(entry.root):
        raise NotPossible(entry.root, "the folder of this outbox is not there")
    with Record(entry.root) as record:
        if entry not in outboxes()[0]:
            raise Stopped
        wanted = _wanted(entry, stop, report)
        return in_step(
            entry.root, wanted, entry.asked, record, stop=stop,
            report=lambda done, total: report("Making small copies", done, total),
        )  # fmt: skip


def _wanted(entry: Outbox, stop: threading.Event, report: Report) -> list[Wanted]:
    view = entry.shows()
    with looked_at(entry.library, [view], stop=stop, report=report) as look:
        rows = rows_of(look, view)
        # What can't be read of shelves is not a reason to remove what stands on them.
        if look.troubles:
            raise NotPossible(entry.library, look.troubles[0])
        lies = lying(look.home.root, look.ledger.stored, drives_here(look.home))
        setting = load_rules(look.home).rules.setting(filed=False)
        return wanted_of(look.columns, rows, entry.asked, setting, look.ledger, lies, stop=stop)


def remove_with_copies(root: str, *, stop: threading.Event) -> int:
    """Keep a folder in step no longer, and remove what was made in it. What others changed stays.

    Args:
        root: of the outbox.
        stop: ends it when it is set: it is an outbox still then.

    Returns:
        How many copies were removed.

    Raises:
        NotPossible: when it is no outbox, its folder is not there, somebody else is filling it, or it can't be written.
        Stopped: when `stop` was set.
    """
    entry = outbox_at(root, outboxes()[0])
    if not os.path.isdir(entry.root):
        raise NotPossible(entry.root, "the folder of this outbox is not there")
    with Record(entry.root) as record:
        done = in_step(entry.root, (), entry.asked, record, stop=stop)
        if done.stopped:
            raise Stopped
        if done.trouble:
            raise NotPossible(entry.root, done.trouble.rstrip("."))
        # While it is held: whoever waits for it would fill it once more.
        remove_outbox(root)
    return done.removed
