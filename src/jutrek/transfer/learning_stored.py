"""What records tell of what was stored and fetched: by another person, or before a ledger was lost."""

from __future__ import annotations

from typing import TYPE_CHECKING

from jutrek.library import LIBRARY, HomeFile, Library, ProofMark, known_drives
from jutrek.transfer.journal import Kind
from jutrek.transfer.run_log import RunLog, head_of, run_log_of, runs

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

CROSSES = frozenset({Kind.STORE, Kind.FETCH})
"""Runs that move files between the root and an archive drive."""


def learn_stored(library: Library, ledger: Ledger) -> None:
    """Have a ledger know what others stored and fetched since, as the library's records tell it.

    Else what another person stored on a drive that is away would be missed here.
    """
    drives = {drive.id for drive in known_drives(library)}
    if not drives:
        return
    known, last = runs(library), ledger.stored.last_run()
    for run in known[known.index(last) + 1 if last in known else 0 :]:
        head = head_of(library, run)
        if head.get("entry") in CROSSES and head.get("drive") in drives:
            _learn(ledger, run_log_of(library, run))
    if known and known[-1] != last:
        ledger.stored.keep_run(known[-1])


def _learn(ledger: Ledger, run_log: RunLog) -> None:
    entries = {str(run_log.to_come[row]["to"]): row for row in sorted(run_log.originals_gone & run_log.done.keys())}
    drive = str(run_log.head.get("drive", ""))
    main, origin = (drive, LIBRARY) if run_log.kind is Kind.STORE else (LIBRARY, drive)
    known = ledger.of_paths(entries)
    homes, marks = [], []
    for path, row in entries.items():
        entry, done = run_log.to_come[row], run_log.done[row]
        mtime_ns, full = int(done.get("mtime_ns", entry["mtime_ns"])), bytes.fromhex(str(done.get("xxh3_128", "")))
        if path not in known:
            homes.append(HomeFile(path, int(entry["size"]), mtime_ns, None, full or None))
        if full and ledger.mark_of(path, main) is None:
            marks.append(ProofMark(main, path, int(entry["size"]), mtime_ns, full, run_log.at))
    ledger.put(homes)
    ledger.put_proofs(marks)
    ledger.drop_proofs(origin, entries)
    ledger.lost.forget(entries)
    if main:
        ledger.stored.put(dict.fromkeys(entries, drive))
    else:
        ledger.stored.forget(entries)
