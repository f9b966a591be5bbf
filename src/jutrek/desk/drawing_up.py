"""Drawing up the board from captures, plan and results."""

from __future__ import annotations

import os
from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from datetime import date

from jutrek.captures import Capture, Device
from jutrek.desk.board import Board, CaptureView, DayView, FolderView, Place, SourceView, State, day_view
from jutrek.filing import Action, Plan, Row
from jutrek.sources import Source
from jutrek.transfer import Done

MANY_DAYS = 60
MANY_MONTHS = 60


def build(
    sources: Sequence[Source],
    captures: Sequence[Capture],
    devices: Mapping[str, Device],
    plan: Plan | None,
    results: Mapping[str, Done],
    existing: frozenset[str],
    place: Place | None = None,
) -> Board:
    """Draw up the board.

    Args:
        captures: of all sources, in the order of shooting.
        devices: by key.
        plan: the plan, or None while there is no library.
        results: what became of files so far, by source path.
        existing: folders of the plan that exist in the library, relative.
        place: where the library is, and its room.
    """
    rows: dict[str, list[Row]] = defaultdict(list)
    for row in plan.rows if plan else ():
        rows[row.capture].append(row)
    views = [_view(capture, devices[capture.device], rows.get(capture.id, ()), results) for capture in captures]
    to_bring = (
        [row for row in plan.to_bring() if row.source not in results or not results[row.source].home] if plan else []
    )
    return Board(
        tuple(_source(source, captures, views, devices, rows[""]) for source in sources),
        _days(views),
        _folders(views, existing),
        plan,
        sum(row.size for row in to_bring),
        place,
    )


def _view(capture: Capture, device: Device, rows: Sequence[Row], results: Mapping[str, Done]) -> CaptureView:
    primary, moment = capture.primary, capture.moment
    state, row, why = _state(capture, rows, results)
    return CaptureView(
        id=capture.id,
        source=primary.file.root,
        name=os.path.basename(primary.file.path),
        state=state,
        destination=(row.destination or "") if row else "",
        companions=tuple(os.path.basename(read.file.path) for read in capture.files[1:]),
        device=device,
        kind=capture.kind,
        when=moment.local if moment else None,
        why=why or (moment.why if moment else "No date was found."),
        duration=primary.reading.duration,
        size=capture.size,
        notes=tuple(note for read in capture.files for note in read.reading.notes),
        format=primary.reading.format,
        orientation=primary.reading.orientation,
        previews=primary.reading.previews,
    )


def _state(capture: Capture, rows: Sequence[Row], results: Mapping[str, Done]) -> tuple[State, Row | None, str]:
    """What is to become of a capture, the row that stands for it, and the sentence if it failed."""
    if not rows:
        return (State.BRING if capture.trusted else State.LOOK), None, ""
    ended = [results[row.source] for row in rows if row.source in results]
    failed = next((done for done in ended if not done.home), None)
    first = next((row for row in rows if row.source == capture.id), rows[0])
    if failed is not None:
        return State.FAILED, first, failed.why
    if any(row.action is Action.BRING and row.source not in results for row in rows):
        return State.BRING, first, ""
    if all(row.action is Action.STAY for row in rows):
        return State.LOOK, None, ""
    if ended:
        return State.BROUGHT, first, ""
    if all(row.action is Action.TWIN for row in rows):
        return State.TWIN, first, first.why
    return State.HOME, first, ""


def _source(
    source: Source,
    captures: Sequence[Capture],
    views: Sequence[CaptureView],
    devices: Mapping[str, Device],
    loose: Sequence[Row],
) -> SourceView:
    own = [view for view in views if view.source == source.root]
    counts = Counter(view.device.key for view in own)
    main = devices[counts.most_common(1)[0][0]] if counts else None
    return SourceView(
        source,
        main,
        len(own),
        tuple(Counter(view.kind for view in own).items()),
        sum(view.size for view in own),
        tuple(Counter(view.state for view in own).items()),
        tuple((row.source, row.why) for row in loose if row.root == source.root),
    )


def _days(views: Sequence[CaptureView]) -> tuple[DayView, ...]:
    """Rows per day; per month beyond 60 days, per year beyond 60 months; captures that need a look come last."""
    dated = [view for view in views if view.when is not None and view.state is not State.LOOK]
    length = 10
    if len({f"{view.when:%Y-%m-%d}" for view in dated}) > MANY_DAYS:
        length = 7 if len({f"{view.when:%Y-%m}" for view in dated}) <= MANY_MONTHS else 4
    piles: dict[str, list[CaptureView]] = defaultdict(list)
    for view in dated:
        piles[f"{view.when:%Y-%m-%d}"[:length]].append(view)
    days = [day_view(key, _first_day(key), pile) for key, pile in sorted(piles.items())]
    look = [view for view in views if view.when is None or view.state is State.LOOK]
    if look:
        days.append(day_view("", None, look))
    return tuple(days)


def _first_day(key: str) -> date:
    return date.fromisoformat((key + "-01-01")[:10])


def _folders(views: Sequence[CaptureView], existing: frozenset[str]) -> tuple[FolderView, ...]:
    coming: Counter[str] = Counter()
    home: Counter[str] = Counter()
    for view in views:
        if view.state in (State.BRING, State.FAILED, State.BROUGHT) and view.destination:
            coming[view.folder] += 1
        elif view.state is State.HOME:
            home[view.folder] += 1
    paths = sorted(coming.keys() | home.keys())
    return tuple(FolderView(path, coming[path], home[path], path in existing) for path in paths)
