"""Drawing up the board from the story of an intake, its plan and what came of it."""

from __future__ import annotations

import os
from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence

from jutrek.captures import Capture, Decisions, Device, Doubt
from jutrek.desk.board import FolderView, Released, SourceView
from jutrek.desk.board_captures import CaptureView, State
from jutrek.desk.board_days import DayView, day_view
from jutrek.desk.story import Story
from jutrek.doubles import Comparison
from jutrek.filing import Action, Plan, Row
from jutrek.formats import Precision
from jutrek.sources import Source
from jutrek.transfer import Done
from jutrek.transfer.certificate import Certificate


def views_of(
    story: Story, plan: Plan | None, results: Mapping[str, Done], standings: Mapping[str, Comparison] | None = None
) -> dict[str, CaptureView]:
    """Every capture as the board shows it, by its id, in the order of shooting.

    Args:
        plan: the plan, or None while there is no library.
        results: what became of files so far, by source path.
        standings: where files stand, as far as it is known, by source path.
    """
    known = standings or {}
    rows: dict[str, list[Row]] = defaultdict(list)
    for row in plan.rows if plan else ():
        rows[row.capture].append(row)
    waits, operators, worded = story.wishes.waits, story.wishes.operators, story.wishes.worded
    return {
        capture.id: _view(
            capture,
            story.devices[capture.device],
            _state(capture, rows.get(capture.id, ()), results, waits.get(capture.id, "")),
            operators.get(capture.id, ""),
            known.get(capture.id) if plan else None,
        )._replace(keywords=worded.get(capture.id, ()))
        for capture in story.captures
    }


_State = tuple[State, Row | None, str]


def _view(capture: Capture, device: Device, fate: _State, operator: str, stands: Comparison | None) -> CaptureView:
    primary, moment = capture.primary, capture.moment
    state, row, why = fate
    return CaptureView(
        id=capture.id,
        source=capture.root,
        name=os.path.basename(primary.file.path),
        state=state,
        destination=(row.destination or "") if row else "",
        companions=tuple(os.path.basename(read.file.path) for read in capture.files[1:]),
        device=device,
        kind=capture.kind,
        when=moment.local if moment else None,
        why=why or (moment.why if moment else "No date was found."),
        duration=capture.duration,
        size=capture.size,
        notes=(*capture.notes, *(note for read in capture.files for note in read.reading.notes)),
        format=primary.reading.format,
        orientation=primary.reading.orientation,
        previews=primary.reading.previews,
        stack=capture.stack,
        operator=operator,
        dated=capture.trusted,
        timed=moment is not None and moment.precision >= Precision.MINUTE,
        standing=stands.standing.value if stands is not None else "",
        equal=stands.equal if stands is not None else "",
    )


def _state(capture: Capture, rows: Sequence[Row], results: Mapping[str, Done], waits: str) -> _State:
    """What is to become of a capture, the row that stands for it, and the sentence if it failed or waits."""
    if not rows:
        return (State.BRING if capture.trusted and not waits else State.LOOK), None, waits
    ended = [results[row.source] for row in rows if row.source in results]
    failed = next((done for done in ended if not done.home), None)
    first = next((row for row in rows if row.source == capture.id), rows[0])
    if failed is not None:
        return State.FAILED, first, failed.why
    if any(row.action is Action.BRING and row.source not in results for row in rows):
        return State.BRING, first, ""
    if all(row.action is Action.STAY for row in rows):
        return State.LOOK, None, waits
    if ended:
        return State.BROUGHT, first, ""
    if all(row.action is Action.TWIN for row in rows):
        return State.TWIN, first, first.why
    return State.HOME, first, ""


def set_aside(views: Mapping[str, CaptureView], aside: Iterable[str]) -> dict[str, CaptureView]:
    """The views with those that were set aside marked so, unless they are home."""
    marked = dict(views)
    for key in aside:
        view = marked.get(key)
        if view is not None and view.state in (State.LOOK, State.BRING):
            marked[key] = view._replace(state=State.ASIDE)
    return marked


def source_views(
    sources: Sequence[Source],
    views: Iterable[CaptureView],
    devices: Mapping[str, Device],
    plan: Plan | None,
    decisions: Decisions,
    doubts: Sequence[Doubt] = (),
    released: Mapping[str, Certificate] | None = None,
    unsorted: Mapping[str, int] | None = None,
) -> tuple[SourceView, ...]:
    """Every source with what was found on it, what is open, and what was decided about its device's clock.

    Args:
        sources: in their order.
        views: of all captures.
        devices: by their keys.
        plan: None as long as there is none.
        decisions: what was decided.
        doubts: the open questions.
        released: certificates by source.
        unsorted: how many files were read of sources whose captures are not on the board yet.
    """
    own: dict[str, list[CaptureView]] = defaultdict(list)
    lies_on: dict[str, str] = {}
    for view in views:
        own[view.source].append(view)
        lies_on[view.id] = view.source
    asked = Counter(root for doubt in doubts for root in {lies_on[capture] for capture in doubt.captures})
    loose = [row for row in plan.rows if not row.capture] if plan else []
    proven = {
        root: Released(one.safe, one.verdict, len(one.home), len(one.others) + len(one.unaccounted))
        for root, one in (released.items() if released else ())
    }
    found = (_source(source, own[source.root], devices, loose) for source in sources)
    return tuple(
        view._replace(
            shift=decisions.shift_of(view.device.key) if view.device else 0.0,
            questions=asked[view.source.root] if view.device else 0,
            released=proven.get(view.source.root),
            unsorted=(unsorted or {}).get(view.source.root, 0),
        )
        for view in found
    )


def _source(
    source: Source, own: Sequence[CaptureView], devices: Mapping[str, Device], loose: Sequence[Row]
) -> SourceView:
    counts = Counter(view.device.key for view in own)
    main = devices[counts.most_common(1)[0][0]] if counts else None
    return SourceView(
        source,
        main,
        len(own),
        tuple(Counter(view.kind for view in own).items()),
        sum(view.size for view in own),
        tuple(Counter(view.state for view in own).items()),
        tuple((row.source, row.why) for row in loose if row.root == source.root and row.action is Action.STAY),
    )


def day_views(story: Story, views: Mapping[str, CaptureView]) -> tuple[DayView, ...]:
    """A row per shoot; captures without a date to trust, or set aside without one, come last."""
    days = []
    placed: set[str] = set()
    for shoot in story.shoots:
        ids = [capture.id for capture in shoot.captures]
        placed.update(ids)
        days.append(day_view(shoot.key, shoot.day, [views[key] for key in ids], shoot.words))
    rest = [view for key, view in views.items() if key not in placed]
    return (*days, day_view("", None, rest)) if rest else tuple(days)


def folder_views(views: Iterable[CaptureView], existing: frozenset[str]) -> tuple[FolderView, ...]:
    """The folders that captures go to or are in; `existing` are those that the library has."""
    coming: Counter[str] = Counter()
    home: Counter[str] = Counter()
    for view in views:
        if view.state in (State.BRING, State.FAILED, State.BROUGHT) and view.destination:
            coming[view.folder] += 1
        elif view.state is State.HOME:
            home[view.folder] += 1
    paths = sorted(coming.keys() | home.keys())
    return tuple(FolderView(path, coming[path], home[path], path in existing) for path in paths)
