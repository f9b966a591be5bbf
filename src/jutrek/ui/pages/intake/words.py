"""What the action bar says of a board: the state, more of it, and a line below."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QLocale

from jutrek.desk.board import Board
from jutrek.desk.board_captures import State
from jutrek.formats import Kind
from jutrek.ui import paint

if TYPE_CHECKING:
    from jutrek.transfer import Progress


class Said(NamedTuple):
    """A short state, more of it beside, a line below, and whether it is bad news."""

    state: str
    more: str = ""
    under: str = ""
    brick: bool = False


def questions_words(board: Board) -> Said:
    """What is to be settled."""
    state = f"{paint.counted(board.to_settle, 'capture')} in {paint.counted(len(board.questions), 'question')}."
    return Said(state, "What stays open can be brought home later; nothing is lost by waiting.")


def run_words(progress: Progress) -> Said:
    """How far a run is."""
    speed = f"{paint.size_words(progress.speed)} a second" if progress.elapsed > 0.5 else ""
    current = progress.current.rpartition("/")[2]
    done = f"{paint.size_words(progress.bytes)} of {paint.size_words(progress.all_bytes)} read back"
    if progress.paused:
        return Said("Paused.", done, "The files at hand wait where they are; what is proven is home.")
    more = " · ".join(part for part in (done, speed, current) if part)
    under = "The cards are only read. Stopping is safe: what is proven stays home, and a cable that slips is no harm."
    return Said(paint.time_left_words(progress.seconds_left), more, under)


def board_words(board: Board) -> Said:
    """What can be done next, or what came of it."""
    if board.place is None:
        return Said("No library yet.", "Choose the folder where your captures are at home.")
    if not board.sources:
        return Said("Ready.", "Drop a card or folder into the window. It is only ever read.")
    if board.count(State.BRING, State.FAILED) and board.plan is not None:
        fits = board.bring_bytes <= board.place.free
        needed, free = paint.size_words(board.bring_bytes), paint.size_words(board.place.free)
        room = f"Fits: {needed} to {board.place.name}." if fits else f"Too large: {needed} to copy, {free} free."
        more = "Every file is read back and compared before it counts as home. The cards are not touched."
        return Said("Ready.", more, room, brick=not fits)
    look = board.count(State.LOOK)
    more = f"{paint.counted(look, 'capture waits', 'captures wait')} for an answer." if look else ""
    return Said(f"{paint.counted(board.count(State.HOME, State.BROUGHT), 'capture')} at home.", more)


def head_words(board: Board, silent: int, meanwhile: str, *, running: bool) -> tuple[str, str]:
    """What came in, from where, and of which days.

    Args:
        silent: how many of the sources do not answer.
        meanwhile: what goes on beside everything else; empty for nothing.
        running: whether it is being brought home.
    """
    if not board.sources:
        return "Nothing has come in yet", "Add a card or a folder to see what is on it."
    sources = paint.counted(len(board.sources), "source")
    if silent:
        sources = f"{len(board.sources) - silent} of {sources}"
    figures = f"{kinds_words(board.kinds)} read from {sources}"
    if running:
        figures = f"Bringing {board.count(State.BRING, State.FAILED, State.BROUGHT):,} home"
    size = paint.size_words(sum(source.size for source in board.sources))
    return figures, " · ".join(part for part in (span_words(board), size, meanwhile) if part)


def kinds_words(kinds: Mapping[Kind, int]) -> str:
    """How many captures of each kind there are: `163 stills, 29 clips, 17 sounds`."""
    words = {Kind.STILL: "still", Kind.CLIP: "clip", Kind.SOUND: "sound", Kind.SIDECAR: "sidecar"}
    parts = [paint.counted(kinds[kind], word) for kind, word in words.items() if kinds.get(kind)]
    return ", ".join(parts) or "Nothing"


def span_words(board: Board) -> str:
    """The days of a board in words: `12 – 18 May 2026`."""
    days = [day.start for day in board.days if day.start]
    if not days:
        return ""
    locale, first, last = QLocale(), days[0], days[-1]
    if first == last:
        return str(locale.toString(first, "d MMMM yyyy"))
    form = "d" if (first.year, first.month) == (last.year, last.month) else "d MMMM yyyy"
    return f"{locale.toString(first, form)} – {locale.toString(last, 'd MMMM yyyy')}"
