"""What of the Intake page can be found and done by typing: what its menus and keys do, and what is on its board."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import TYPE_CHECKING

from jutrek.desk.board import Board
from jutrek.desk.board_captures import CaptureView
from jutrek.desk.board_days import DayView
from jutrek.desk.finding import folded
from jutrek.ui import paint
from jutrek.ui.pages.intake.narrowing import STANDINGS, standings_of
from jutrek.ui.shell.offers import Offer

if TYPE_CHECKING:
    from jutrek.ui.pages.intake.days import DayRow
    from jutrek.ui.pages.intake.view import IntakeView

_LEAST = 2
"""Letters that are typed before captures are looked for."""
_MOST = 40
_AT_ONCE = 4_000
"""Captures that are got ready at a time."""


class IntakeOffers:
    """Gathers offers; what is done goes to the page first."""

    def __init__(
        self, view: IntakeView, go_to: Callable[[str], object], size_pictures: Callable[[int], object]
    ) -> None:
        """
        Args:
            go_to: opens a page by its key.
            size_pictures: shows pictures by so many steps larger.
        """
        self._view, self._go_to, self._size_pictures = view, go_to, size_pictures
        self._board: Board | None = None
        self._days: list[Offer] = []
        self._left: Iterator[DayView] = iter(())
        """Shoots whose captures are not got ready yet."""
        self._captures: list[tuple[str, str, CaptureView]] = []
        """Of each capture its names, folded; the key of its row; and itself."""

    def prepare(self) -> bool:
        """Get some of the board ready to be found in. Returns whether there is more."""
        board = self._view.board
        if self._board is not board:
            self._board, self._captures, self._left = board, [], iter(board.days)
            self._days = [self._day(day) for day in board.days]
            return bool(board.days)
        before = len(self._captures)
        for day in self._left:
            self._captures += [(folded(f"{one.name} {one.new_name}"), day.key, one) for one in day.captures]
            if len(self._captures) - before > _AT_ONCE:
                return True
        return False

    def all(self, typed: str) -> Iterator[Offer]:
        """Everything that may fit what was typed."""
        if self._board is not self._view.board:
            self.prepare()
        yield from self._acts()
        yield from self._things()
        yield from self.narrowings()
        yield from self._found(typed)

    def narrowings(self) -> Iterator[Offer]:
        """What the board can be narrowed to."""
        view = self._view
        if view.narrowed:
            yield self._offer("only", "Show everything again", view.show_all, "", "Esc")
        for share in view.outcome.shares:
            about = f"{share.captures:,}"
            yield self._offer("only", f"Only: {share.words}", partial(view.narrow_states, share.states), about)
        for standing, count in standings_of(view.board).items():
            narrow = partial(view.narrow_standing, standing)
            yield self._offer("only", f"Only: {STANDINGS[standing]}", narrow, f"{count:,}")
        for folder in view.board.folders:
            words = folder.path or "the library's root"
            narrow = partial(view.narrow_folder, folder.path)
            yield self._offer(
                "folder", words, narrow, f"{folder.coming:,} come" if folder.coming else f"{folder.home:,} at home"
            )

    def _offer(self, kind: str, words: str, do: Callable[[], object], about: str = "", keys: str = "") -> Offer:
        def go() -> None:
            self._go_to("intake")
            do()

        return Offer(kind, words, go, about, keys)

    def _acts(self) -> Iterator[Offer]:
        view = self._view
        if view.board.questions and not view.settling:
            yield self._offer(
                "do", "Settle what needs a look", view.open_settle, paint.counted(view.board.to_settle, "capture")
            )
        for tile in view.from_column.tiles.values():
            for act in tile.acts():
                if act.can:
                    source = tile.view.source
                    words = f"{act.words.rstrip('…')}: {tile.title}, {source.name}"
                    at_tile = partial(self._at_tile, source.root, act.words)
                    yield self._offer("do", words, at_tile, source.root, act.keys)
        for words, do in view.copies.acts():
            yield self._offer("do", words, do)
        for row in view.rows():
            if row.view.key == view.when.open_key:
                for act in row.acts():
                    at_row = partial(self._at_row, row, row.view.key, act.do)
                    yield self._offer("do", act.words, at_row, row.date_words, act.keys)
        if view.isVisible() and view.when.is_open:
            for words, do in view.when.opened.selections():
                yield self._offer("do", f"Select: {words}", do, "of the open day")
        for by, words, keys in ((1, "Larger pictures", "Ctrl++"), (-1, "Smaller pictures", "Ctrl+-")):
            yield self._offer("do", words, partial(self._size_pictures, by), "on the board", keys)

    def _at_tile(self, root: str, words: str) -> None:
        """Do something with a source, if it is still there, and if that can still be done."""
        tile = self._view.from_column.tiles.get(root)
        for act in tile.acts() if tile is not None else ():
            if act.words == words and act.can:
                act.do()

    @staticmethod
    def _at_row(row: DayRow, key: str, do: Callable[[], object]) -> None:
        """Do something with a row, if it still shows the shoot that was meant."""
        if row.view.key == key and row.isVisible():
            do()

    def _things(self) -> Iterator[Offer]:
        view = self._view
        for tile in view.from_column.tiles.values():
            yield self._offer("source", tile.title, partial(view.show_source, tile.view.source.root), tile.medium)
        yield from self._days

    def _day(self, day: DayView) -> Offer:
        words = f"{day.start.isoformat()} {day.words}".strip() if day.start else "Captures without a date to trust"
        return self._offer("day", words, partial(self._open_day, day.key), paint.counted(len(day.captures), "capture"))

    def _open_day(self, key: str) -> None:
        self._view.close_settle()
        self._view.show_all()
        if self._view.when.open_key != key:
            self._view.open_day(key)

    def _found(self, typed: str) -> Iterator[Offer]:
        """Captures by their names, old and new."""
        wanted = folded(typed).split()
        if sum(map(len, wanted)) < _LEAST:
            return
        left = _MOST
        for names, day, view in self._captures:
            if all(word in names for word in wanted):
                about = f"{view.new_name or view.why} · {view.device.letter}"
                yield self._offer("capture", view.name, partial(self._choose, day, view.id), about)
                left -= 1
                if not left:
                    return

    def _choose(self, day: str, capture: str) -> None:
        self._open_day(day)
        self._view.grid.choose(capture)
        self._view.grid.setFocus()
