"""From: a tile per source, and a place to drop more."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QMenu, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from jutrek.desk.board import SourceView
from jutrek.desk.board_captures import CLIP, SIDECAR, SOUND, STILL, State
from jutrek.ui import paint
from jutrek.ui.pages.intake.lanes import shift_words
from jutrek.ui.plainly import tip
from jutrek.ui.shell.offers import Act
from jutrek.ui.theme import BOLD, RADIUS, SEMIBOLD, Theme, font

if TYPE_CHECKING:
    from jutrek.transfer import Progress, Stream

WIDTH = 196
_KINDS = ((STILL, "still"), (CLIP, "clip"), (SOUND, "take"), (SIDECAR, "sidecar"))


class SourceTile(QWidget):
    """A source: device colour, letter and name, medium and size, counts, and what is going on with it."""

    removed = Signal(object)
    named = Signal(object)
    proved = Signal(object)
    ejected = Signal(object)
    cleared = Signal(object)
    certified = Signal(object)
    asked = Signal(object)
    """What was not brought from it, and what becomes of that."""

    def __init__(self, theme: Theme, view: SourceView, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.view = view
        self._reading: tuple[int, int] | None = None
        self._running = False
        self._stream: Stream | None = None
        self._left = ""
        self.silent = 0
        """Seconds for which it has not answered."""
        self.button = QPushButton("", self)
        self.button.setProperty("small", True)
        self.button.clicked.connect(self._press)
        self.setFixedHeight(76)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.show_view(view)

    def show_view(self, view: SourceView) -> None:
        """Show new facts of the source."""
        self.view = view
        asked = paint.counted(view.questions, "open question") if view.questions else ""
        parts = [self.title, self.medium, self._counts(), self._state()[0], asked]
        self.setAccessibleName(", ".join(part for part in parts if part))
        tips = [
            "Double click or F2: name its device",
            view.source.root,
            *([view.released.words] if view.released is not None else []),
            *(f"{path.rpartition('/')[2]}: {why}" for path, why in view.left[:20]),
        ]
        tip(self, "\n".join(tips))
        self._offer()
        self.update()

    def show_reading(self, files: int, all_files: int) -> None:
        """Show how far the reading is."""
        self._reading = None if all_files and files >= all_files else (files, all_files)
        self.update()

    def show_silent(self, seconds: int) -> None:
        """Show for how long it has not answered; of no seconds it answers."""
        self.silent = seconds
        self.show_view(self.view)

    def show_running(self, running: bool) -> None:
        """Show progress instead of facts while a run is at work."""
        self._running = running
        self._stream = None
        self._offer()
        self.update()

    def show_stream(self, stream: Stream) -> None:
        """Show how far a run is with it."""
        self._stream = stream
        self.update()

    def show_left(self, words: str) -> None:
        """Show that it was let go, or pulled."""
        self._left = words
        self._offer()
        self.update()

    @property
    def is_home(self) -> bool:
        """Whether everything on it is home."""
        view = self.view
        return bool(view.captures) and view.count(State.HOME, State.BROUGHT) == view.captures

    def _offer(self) -> None:
        """Offer what comes next: to prove it, or to let it go."""
        released = self.view.released
        words = "Prove" if self.is_home and not (self._running or self._left or self._reading or self.silent) else ""
        if words and released is not None and released.safe:
            words = "Eject" if self.view.source.medium == "card" or self.view.source.capacity else ""
        self.button.setText(words)
        self.button.setVisible(bool(words))
        self.button.setToolTip(
            "Unmount it, so that it may be pulled"
            if words == "Eject"
            else "Read everything on it again, and find it in the library and every backup"
        )
        self.button.setAccessibleName(f"{words} {self.title}")
        wide = self.button.sizeHint().width()
        self.button.setGeometry(self.width() - wide - 8, self.height() - 31, wide, 25)

    def resizeEvent(self, event: object) -> None:
        self._offer()

    def _press(self) -> None:
        (self.ejected if self.button.text() == "Eject" else self.proved).emit(self.view.source.root)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self._open_menu(event.globalPos())

    def acts(self) -> list[Act]:
        """All that can be done with it."""
        root, released, rests = self.view.source.root, self.view.released, not self._running
        acts = [
            Act("Name its device…", partial(self.named.emit, root), keys="F2"),
            Act("Prove that it is home", partial(self.proved.emit, root), rests),
        ]
        if released is not None:
            acts += [
                Act("Show its certificate", partial(self.certified.emit, root)),
                Act("What was not brought…", partial(self.asked.emit, root), rests and bool(released.open)),
                Act("Eject", partial(self.ejected.emit, root), rests),
                Act("Clear it…", partial(self.cleared.emit, root), rests and bool(released.files)),
            ]
        return [*acts, Act("Leave it out of this intake", partial(self.removed.emit, root), rests, "Delete")]

    def _open_menu(self, at: QPoint) -> None:
        menu = QMenu(self)
        acts = self.acts()
        for act in acts:
            if act is acts[-1]:
                menu.addSeparator()
            menu.addAction(act.words, act.do).setEnabled(act.can)
        menu.exec(at)

    def colour(self) -> QColor:
        """The colour of its main device."""
        device = self.view.device
        return self._theme.device(device.colour) if device else self._theme.home

    @property
    def letter(self) -> str:
        """The letter of its main device."""
        return self.view.device.letter if self.view.device else "·"

    @property
    def title(self) -> str:
        """Letter and name of its main device; where none is known, its own name."""
        device = self.view.device
        return f"{device.letter} · {device.name}" if device else self.view.source.name

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.named.emit(self.view.source.root)

    @property
    def medium(self) -> str:
        """What it is called, and of which medium it is."""
        source = self.view.source
        what = source.name if source.medium == "folder" else f"{source.name} · card"
        if self.view.device and self.view.device.operator:
            what = f"{self.view.device.operator} · {what}"
        return f"{what} {paint.size_words(source.capacity)}" if source.capacity else what

    def _counts(self) -> str:
        if self.silent:
            return "not read yet"
        if self.view.unsorted:
            return f"{paint.counted(self.view.unsorted, 'file')} read"
        kinds: dict[str, int] = dict(self.view.kinds)
        parts = [paint.counted(kinds[kind], word) for kind, word in _KINDS if kind in kinds]
        return " · ".join([*parts, paint.size_words(self.view.size)]) if parts else "nothing to bring home"

    def _state(self) -> tuple[str, QColor]:
        view, theme = self.view, self._theme
        if self._left:
            return self._left, theme.soft
        if self.silent:
            return f"has not answered for {self.silent} s", theme.amber
        if self._reading is not None:
            files, total = self._reading
            return (f"reading {files:,} of {total:,}" if total else "looking through it"), theme.accent
        if view.unsorted:
            return "waits for the others", theme.soft
        if failed := view.count(State.FAILED):
            return f"{failed} not home", theme.brick
        if self.is_home:
            released = view.released
            if released is None:
                return "all home", theme.accent
            return ("safe to clear", theme.accent) if released.safe else ("not safe to clear", theme.brick)
        if look := view.count(State.LOOK):
            return f"{paint.counted(look, 'needs', 'need')} a look", theme.amber
        if view.shift:
            return f"clock {shift_words(view.shift)} fixed", theme.accent
        if view.left:
            return f"{paint.counted(len(view.left), 'other thing')} left on it", theme.soft
        return "", theme.soft

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        box = self.rect()
        asking = bool(self.view.questions) and not self._running
        edge = theme.accent if self.hasFocus() else theme.amber if asking else theme.line
        paint.card(painter, box, theme.card, edge, width=2 if self.hasFocus() else 1)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.colour())
        painter.drawRoundedRect(QRect(0, 0, 5, box.height()), 2, 2)
        line = QRect(16, 6, box.width() - 24, 17)
        asked = self.view.questions if not self._running else 0
        used = 0
        if asked:
            used = paint.text(painter, line, str(asked), font(13, BOLD), theme.amber, align=paint.RIGHT) + 8
        paint.text(painter, line.adjusted(0, 0, -used, 0), self.title, font(13, BOLD), theme.ink)
        paint.text(painter, line.translated(0, 17), self.medium, font(12), theme.soft)
        words, colour = self._state()
        if self._running and self.view.captures:
            self._paint_run(painter, line.translated(0, 34))
            return
        if self._reading is None:
            paint.text(painter, line.translated(0, 34), self._counts(), font(12), theme.ink)
        elif self._reading[1]:
            track = QRect(16, 47, box.width() - 32, 5)
            paint.bar(painter, track, self._reading[0] / self._reading[1], theme.accent, theme.track)
        paint.text(painter, line.translated(0, 50), words, font(12, SEMIBOLD), colour)

    def _paint_run(self, painter: QPainter, line: QRect) -> None:
        """How far a run is with it: what came home, or how fast it is read."""
        theme, view, stream = self._theme, self.view, self._stream
        home = view.count(State.HOME, State.BROUGHT)
        words, share, speed = f"{home} of {view.captures} home", home / view.captures, ""
        if stream is not None:
            share = stream.bytes / (stream.all_bytes or 1)
            words = f"{stream.files:,} of {paint.counted(stream.all_files, 'file')}"
            if stream.files == stream.all_files:
                words = f"all {paint.counted(stream.all_files, 'file')} read"
            elif stream.speed:
                speed = f"{paint.size_words(stream.speed)}/s"
        used = paint.text(painter, line, speed, font(12), theme.soft, align=paint.RIGHT)
        paint.text(painter, line.adjusted(0, 0, -used - 6, 0), words, font(12), theme.ink)
        paint.bar(painter, QRect(16, 61, self.width() - 32, 5), share, self.colour(), theme.track)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Menu:
            self._open_menu(self.mapToGlobal(self.rect().center()))
        elif event.key() == Qt.Key.Key_Delete:
            self.removed.emit(self.view.source.root)
        elif event.key() == Qt.Key.Key_F2:
            self.named.emit(self.view.source.root)
        else:
            super().keyPressEvent(event)


class AppearedTile(QWidget):
    """A card that appeared: what it is, and the question whether it is to be read."""

    wanted = Signal(object)

    def __init__(
        self, theme: Theme, key: str, title: str, about: str, answer: str, parent: QWidget | None = None
    ) -> None:
        """
        Args:
            key: what `wanted` tells.
            title: what the card is called.
            about: its size and kind.
            answer: what the button says.
        """
        super().__init__(parent)
        self._theme, self.key, self._title, self._about = theme, key, title, about
        self.button = QPushButton(answer, self)
        self.button.setProperty("small", True)
        self.button.clicked.connect(lambda: self.wanted.emit(self.key))
        self.setFixedHeight(62)
        self.setAccessibleName(f"{title} appeared, {about}")

    def resizeEvent(self, event: object) -> None:
        wide = self.button.sizeHint().width()
        self.button.setGeometry(self.width() - wide - 8, 30, wide, 25)

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        paint.card(painter, self.rect(), theme.accent_wash, theme.accent)
        line = QRect(12, 7, self.width() - 22, 17)
        paint.text(painter, line, self._title, font(13, BOLD), theme.ink)
        paint.text(painter, line.translated(0, 24).adjusted(0, 0, -80, 0), self._about, font(12), theme.soft)


class DropTile(QAbstractButton):
    """Where cards and folders are dropped, or chosen with a click."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._over = False
        self.setFixedHeight(58)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("Add a card or folder")
        self.setToolTip("Drop cards and folders anywhere in the window, or press Ctrl+O")

    def show_over(self, over: bool) -> None:
        """Show that something is held over the window."""
        self._over = over
        self.update()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        lit = self._over or self.hasFocus()
        painter.setPen(QPen(theme.accent if lit else theme.home, 2 if lit else 1, Qt.PenStyle.DashLine))
        painter.setBrush(theme.accent_wash if self._over else Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(self.rect().adjusted(1, 1, -1, -1), RADIUS, RADIUS)
        box = self.rect()
        paint.text(
            painter, box.adjusted(0, 8, 0, -26), "Drop a card or folder here", font(13), theme.soft, align=paint.CENTRE
        )
        paint.text(
            painter, box.adjusted(0, 27, 0, -8), "or choose one…", font(12, SEMIBOLD), theme.accent, align=paint.CENTRE
        )

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        else:
            super().keyPressEvent(event)


class FromColumn(QWidget):
    """All tiles, one below the other."""

    wanted = Signal()
    removed = Signal(object)
    named = Signal(object)
    proved = Signal(object)
    ejected = Signal(object)
    cleared = Signal(object)
    certified = Signal(object)
    asked = Signal(object)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.tiles: dict[str, SourceTile] = {}
        self.appeared: dict[str, AppearedTile] = {}
        self.drop = DropTile(theme)
        self.drop.clicked.connect(self.wanted)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(8)
        self._column.addWidget(self.drop)
        self._column.addStretch()
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def sizeHint(self) -> QSize:
        return QSize(WIDTH, 84 * (len(self.tiles) + len(self.appeared) + 1))

    def stops(self) -> tuple[QWidget, ...]:
        """What can take the focus, in order."""
        tiles = [part for tile in self.tiles.values() for part in (tile, tile.button)]
        return (*tiles, *(tile.button for tile in self.appeared.values()), self.drop)

    def show_appeared(self, tile: AppearedTile) -> None:
        """Show that a card appeared, with the question what becomes of it."""
        self.take_appeared(tile.key)
        self.appeared[tile.key] = tile
        self._column.insertWidget(len(self.tiles) + len(self.appeared) - 1, tile)
        self.updateGeometry()

    def take_appeared(self, key: str) -> None:
        """The question about a card is answered, or the card is gone."""
        if key in self.appeared:
            self.appeared.pop(key).deleteLater()
            self.updateGeometry()

    def signs(self) -> dict[str, tuple[str, QColor]]:
        """Letter and colour of each source's main device, by the source's root."""
        return {root: (tile.letter, tile.colour()) for root, tile in self.tiles.items()}

    def show_progress(self, progress: Progress) -> None:
        """Show how far a run is with each source."""
        for stream in progress.sources:
            if stream.name in self.tiles:
                self.tiles[stream.name].show_stream(stream)

    def show_sources(self, views: tuple[SourceView, ...]) -> None:
        """Show these sources."""
        present = {view.source.root for view in views}
        for root in [root for root in self.tiles if root not in present]:
            self.tiles.pop(root).deleteLater()
        for number, view in enumerate(views):
            root = view.source.root
            if root in self.tiles:
                self.tiles[root].show_view(view)
                continue
            tile = SourceTile(self._theme, view)
            tile.removed.connect(self.removed)
            tile.named.connect(self.named)
            tile.proved.connect(self.proved)
            tile.ejected.connect(self.ejected)
            tile.cleared.connect(self.cleared)
            tile.certified.connect(self.certified)
            tile.asked.connect(self.asked)
            self.tiles[root] = tile
            self._column.insertWidget(number, tile)
