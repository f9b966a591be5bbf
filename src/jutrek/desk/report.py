"""The report of an intake: what came home, by device and day, what was settled, what was left and why. No Qt.

It is made from the journal alone, so it can be made again at any time; thumbnails come from the library's files.
"""

from __future__ import annotations

import base64
import csv
import io
import os
import threading
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from jutrek.captures import Device
from jutrek.decoding import Pictured
from jutrek.desk.pictures import small_picture
from jutrek.desk.report_page import Entry, Report, page_of
from jutrek.disk import own
from jutrek.errors import FileTrouble, Stopped, shown
from jutrek.formats import Kind, Reading, Stretch, read
from jutrek.library import Library, known_devices
from jutrek.transfer.hash_lists import checksum_list, listed_in
from jutrek.transfer.run_log import RunLog

REPORTS = own("reports")
_PICTURES = 240
"""Thumbnails in a report at most; of larger intakes every second, third … capture has one."""
_SIZE = (132, 88)


def report_of(run_log: RunLog, library: Library) -> Report:
    """Gather the report of an intake from its journal."""
    devices = known_devices(library)
    names = {str(one["id"]): str(one["name"]) for one in run_log.head.get("places", ())}
    entries = tuple(_entry(run_log, row, devices, names, library.name) for row in sorted(run_log.to_come))
    others = run_log.others
    known = next((one for one in others if one["entry"] == "known"), {})
    return Report(
        library.name,
        run_log,
        entries,
        tuple(str(one["words"]) for one in others if one["entry"] == "settled"),
        tuple((_short(one), str(one["why"])) for one in others if one["entry"] == "left"),
        {key: int(known.get(key, 0)) for key in ("home", "twins")},
        tuple((names.get(str(one["place"]), ""), str(one["why"])) for one in others if one["entry"] == "place lost"),
    )


def write_report(
    run_log: RunLog,
    library: Library,
    *,
    stop: threading.Event,
    report: Callable[[int, int], None] = lambda _done, _all: None,
) -> str:
    """Write the report of an intake below the library: HTML that prints well, CSV, and a list of checksums.

    Args:
        report: told how many thumbnails are made, of all.

    Returns:
        The path of the HTML page.

    Raises:
        OSError: when it cannot be written.
        Stopped: when `stop` was set.
    """
    told = report_of(run_log, library)
    folder, tree = REPORTS.below(run_log.run), library.tree
    tree.make_folders(folder)
    pictures = _pictures(told.home, library.root, stop, report)
    page = folder.below("report.html")
    tree.write_own(page, page_of(told, pictures).encode("utf-8", "backslashreplace"))
    tree.write_own(folder.below("report.csv"), csv_of(told).encode("utf-8", "backslashreplace"))
    sums = checksum_list(listed_in(run_log, ""))
    tree.write_own(folder.below("checksums.xxh128"), sums.encode("utf-8", "surrogateescape"))
    return tree.at(page)


def csv_of(told: Report) -> str:
    """The report as a table, one line per file, for spreadsheets."""
    text = io.StringIO()
    writer = csv.writer(text)

    def write(*cells: object) -> None:
        writer.writerow([_cell(cell) for cell in cells])

    writer.writerow([
        "result", "library path", "source", "source path", "bytes", "moment", "day", "device", "shoot", "xxh3_128",
        "places", "why",
    ])  # fmt: skip
    for entry in told.entries:
        result = "not home" if entry.why else "home"
        write(
            result, entry.to, entry.source, entry.original, entry.size, entry.moment, entry.day, entry.device,
            entry.shoot, entry.full, "; ".join(entry.places), entry.why,
        )  # fmt: skip
    for path, why in told.left:
        write("left", "", "", path, "", "", "", "", "", "", "", why)
    return text.getvalue()


def _cell(value: object) -> str:
    """A cell that no spreadsheet takes for a formula, and in which nothing hides."""
    text = shown(str(value))
    return f"'{text}" if text[:1] in _BEGINS_A_FORMULA else text


_BEGINS_A_FORMULA = frozenset("=+-@\t\r")


def _short(entry: Mapping[str, Any]) -> str:
    """A path on a source: the source's name, and what lies below it."""
    source, root = str(entry["source"]), str(entry.get("root", ""))
    return os.path.join(os.path.basename(root.rstrip("/")), os.path.relpath(source, root)) if root else source


def _entry(run_log: RunLog, row: int, devices: Mapping[str, Device], names: Mapping[str, str], library: str) -> Entry:
    entry, done = run_log.to_come[row], run_log.done.get(row)
    key, moment = str(entry.get("device", "")), str(entry.get("moment", ""))
    device = devices.get(key)
    places = (library, *(name for id_, name in names.items() if row in run_log.copied.get(id_, {})))
    return Entry(
        str(entry["to"]), str(entry.get("original") or os.path.basename(str(entry["source"]))),
        str(entry.get("root", "")), int(entry["size"]), moment, str(entry.get("day") or moment[:10]),
        f"{device.letter} · {device.name}" if device else "", str(entry.get("shoot", "")),
        str((done or {}).get("xxh3_128", "")), places if done else (),
        "" if done else run_log.failed.get(row, "The run ended before it."),
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Shot:
    """A file of the library, as pictures are made of it."""

    id: str
    kind: Kind
    format: str
    orientation: int
    previews: tuple[Stretch, ...]


def _pictures(
    entries: Sequence[Entry], root: str, stop: threading.Event, report: Callable[[int, int], None]
) -> dict[str, str]:
    """Thumbnails as data URLs, by path in the library; one per capture, of very many only some."""
    captures: dict[str, Entry] = {}
    for entry in entries:
        captures.setdefault(os.path.splitext(entry.to)[0], entry)
    wanted = list(captures.values())
    wanted = wanted[:: -(-len(wanted) // _PICTURES) or 1]
    made: dict[str, str] = {}
    for number, entry in enumerate(wanted):
        if stop.is_set():
            raise Stopped
        report(number, len(wanted))
        if url := _picture(os.path.join(root, entry.to)):
            made[entry.to] = url
    return made


def _picture(path: str) -> str:
    from PIL import Image

    try:
        reading: Reading = read(path)
    except FileTrouble:
        return ""
    shot: Pictured = _Shot(path, reading.kind, reading.format, reading.orientation, reading.previews)
    found = small_picture(shot, _SIZE)
    if found is None:
        return ""
    data = io.BytesIO()
    Image.frombytes("RGB", (found.width, found.height), found.rgb).save(data, "JPEG", quality=72)
    return "data:image/jpeg;base64," + base64.b64encode(data.getvalue()).decode()
