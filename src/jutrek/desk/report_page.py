"""The report as a page of HTML that stands alone, reads well on a screen, and prints well."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from html import escape
from itertools import groupby
from typing import TYPE_CHECKING

from jutrek.errors import shown

if TYPE_CHECKING:
    from jutrek.transfer.run_log import RunLog

_STYLE = """
@page { size: A4; margin: 16mm 14mm; }
* { box-sizing: border-box; }
body { font: 13px/1.45 "Source Sans Pro", "Source Sans 3", system-ui, sans-serif; color: #1B2A30; background: #F4F5F1;
       margin: 0; }
main { max-width: 980px; margin: 0 auto; padding: 28px 24px 48px; }
h1 { font-size: 22px; margin: 0 0 2px; }
h2 { font-size: 12px; letter-spacing: .09em; text-transform: uppercase; color: #5C6B70; margin: 28px 0 8px; }
p { margin: 4px 0; } .soft { color: #5C6B70; } .brick { color: #A2382B; }
.figures { display: flex; flex-wrap: wrap; gap: 12px; margin: 18px 0 0; }
.figures div { background: #fff; border: 1px solid #D5DCD8; border-radius: 5px; padding: 10px 14px; min-width: 128px; }
.figures b { display: block; font-size: 19px; font-variant-numeric: tabular-nums; }
table { border-collapse: collapse; width: 100%; background: #fff; border: 1px solid #D5DCD8; }
th, td { text-align: left; padding: 4px 10px; border-bottom: 1px solid #E8ECE9; vertical-align: top; }
th { color: #5C6B70; font-weight: 600; } td.n, th.n { text-align: right; font-variant-numeric: tabular-nums; }
td.path { overflow-wrap: anywhere; } thead { display: table-header-group; } tr { break-inside: avoid; }
.sheet { display: flex; flex-wrap: wrap; gap: 8px; }
figure { margin: 0; width: 132px; break-inside: avoid; } figure img { display: block; border-radius: 3px; }
figcaption { font-size: 10.5px; color: #5C6B70; overflow-wrap: anywhere; }
code { font: 11px ui-monospace, monospace; color: #5C6B70; }
@media print { body { background: #fff; } main { padding: 0; max-width: none; } }
"""


@dataclass(frozen=True, slots=True)
class Entry:
    """A file of the report.

    Attributes:
        to: its path in the library.
        original: its path below its source.
        source: its source's root.
        size: in bytes.
        moment: local time by which it was filed.
        day: its filing day, ISO 8601; empty where it has none.
        device: what its device is called.
        shoot: what its shoot was.
        full: its XXH3-128 in hexadecimal digits; empty where it did not come home.
        places: names of the places that have it.
        why: why it did not come home; empty where it did.
    """

    to: str
    original: str
    source: str
    size: int
    moment: str
    day: str
    device: str
    shoot: str
    full: str
    places: tuple[str, ...]
    why: str


@dataclass(frozen=True, slots=True)
class Report:
    """All that a report tells.

    Attributes:
        entries: every file that was to come home, in the order of the plan.
        settled: what was decided about dates, in words.
        left: path and reason of what stayed on its source by the plan.
        known: how many files were home already, or twins.
        lost: places that dropped out, with the reason.
    """

    library: str
    run_log: RunLog
    entries: tuple[Entry, ...]
    settled: tuple[str, ...]
    left: tuple[tuple[str, str], ...]
    known: Mapping[str, int]
    lost: tuple[tuple[str, str], ...]

    @property
    def home(self) -> tuple[Entry, ...]:
        """Files that came home."""
        return tuple(entry for entry in self.entries if not entry.why)

    @property
    def failed(self) -> tuple[Entry, ...]:
        """Files that did not."""
        return tuple(entry for entry in self.entries if entry.why)

    def by_device_and_day(self) -> list[tuple[str, str, int, int]]:
        """Day, device, files and bytes of what came home."""
        files: Counter[tuple[str, str]] = Counter()
        size: Counter[tuple[str, str]] = Counter()
        for entry in self.home:
            files[entry.day, entry.device] += 1
            size[entry.day, entry.device] += entry.size
        return [(day, device, files[day, device], size[day, device]) for day, device in sorted(files)]


def page_of(told: Report, pictures: Mapping[str, str]) -> str:
    """The whole page.

    Args:
        pictures: data URLs by path in the library.
    """
    parts = [
        *_head(told),
        *_places(told),
        *_days(told),
        *_list("Settled", told.settled),
        *_table("Not copied", ("file", "why"), [(_below(one), one.why) for one in told.failed], ("path", "path")),
        *_table("Left on the sources", ("file", "why"), told.left, ("path", "path")),
        *_sheet(told, pictures),
        *_table(
            "Every file",
            ("in the library", "on its source", "bytes", "fingerprint (XXH3-128)"),
            [(one.to, _below(one), f"{one.size:,}", one.full) for one in told.home],
            ("path", "path", "n", "path"),
        ),
    ]
    title = escape(f"Intake of {_when(told.run_log.at)}")
    return (
        f'<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><title>{title}</title>'
        f'<meta name="viewport" content="width=device-width"><style>{_STYLE}</style></head>\n'
        f"<body><main>\n{chr(10).join(parts)}\n</main></body></html>\n"
    )


def _head(told: Report) -> Iterable[str]:
    run_log = told.run_log
    end = _when(str(run_log.end.get("at", ""))) if run_log.end else "it did not end"
    yield f"<h1>Intake into {_safe(told.library)}</h1>"
    who = str(run_log.head.get("who", ""))
    words = f"{_when(run_log.at)} – {end} · {who} · run {run_log.run}"
    yield f'<p class="soft">{_safe(words)}</p>'
    figures = [
        (f"{len(told.home):,}", "files brought home and read back"),
        (_size(sum(one.size for one in told.home)), "brought"),
        (f"{told.known['home']:,}", "were in the archive already"),
        (f"{told.known['twins']:,}", "the same file twice"),
        (f"{len(told.failed) + len(told.left):,}", "not copied"),
    ]
    yield '<div class="figures">'
    yield from (f"<div><b>{_safe(figure)}</b>{_safe(what)}</div>" for figure, what in figures)
    yield "</div>"


def _places(told: Report) -> Iterable[str]:
    run_log = told.run_log
    rows = [(told.library, f"{len(told.home):,}", "read back and equal")]
    lost = dict(told.lost)
    for one in run_log.head.get("places", ()):
        copied = len(run_log.copied.get(str(one["id"]), {}))
        name = str(one["name"])
        words = lost.get(name) or ("read back and equal" if copied == len(told.home) else "lacks some: catch it up")
        rows.append((name, f"{copied:,}", words))
    yield from _table("Where the copies are", ("library or backup", "files read back", ""), rows, ("", "n", "path"))


def _days(told: Report) -> Iterable[str]:
    rows = [(day, device, f"{files:,}", _size(size)) for day, device, files, size in told.by_device_and_day()]
    yield from _table("By day and device", ("day", "device", "files", "size"), rows, ("", "", "n", "n"))


def _sheet(told: Report, pictures: Mapping[str, str]) -> Iterable[str]:
    shown_ = [entry for entry in told.home if entry.to in pictures]
    for (day, shoot), entries in groupby(shown_, key=lambda entry: (entry.day, entry.shoot)):
        yield f"<h2>{_safe(' '.join(part for part in (day, shoot) if part) or 'without a date')}</h2>"
        yield '<div class="sheet">'
        yield from (_figure(entry, pictures[entry.to]) for entry in entries)
        yield "</div>"


def _figure(entry: Entry, picture: str) -> str:
    name = _safe(os.path.basename(entry.to))
    return f'<figure><img src="{picture}" width="132" height="88" alt=""><figcaption>{name}</figcaption></figure>'


def _list(title: str, lines: Sequence[str]) -> Iterable[str]:
    if lines:
        yield f"<h2>{_safe(title)}</h2>"
        yield from (f"<p>{_safe(line)}</p>" for line in lines)


def _table(title: str, heads: Sequence[str], rows: Sequence[Sequence[str]], kinds: Sequence[str]) -> Iterable[str]:
    if not rows:
        return
    yield f"<h2>{_safe(title)}</h2>"
    cells = "".join(f'<th class="{kind}">{_safe(head)}</th>' for head, kind in zip(heads, kinds, strict=True))
    yield f"<table><thead><tr>{cells}</tr></thead><tbody>"
    for row in rows:
        cells = "".join(f'<td class="{kind}">{_safe(cell)}</td>' for cell, kind in zip(row, kinds, strict=True))
        yield f"<tr>{cells}</tr>"
    yield "</tbody></table>"


def _below(entry: Entry) -> str:
    return f"{os.path.basename(entry.source)} / {entry.original}" if entry.source else entry.original


def _safe(text: str) -> str:
    return escape(shown(text))


def _size(count: float) -> str:
    for unit in ("B", "kB", "MB", "GB"):
        if count < 1000:
            return f"{count:,.0f} {unit}" if unit == "B" else f"{count:,.1f} {unit}"
        count /= 1000
    return f"{count:,.2f} TB"


def _when(at: str) -> str:
    try:
        return f"{datetime.fromisoformat(at).astimezone():%Y-%m-%d %H:%M}"
    except ValueError:
        return at
