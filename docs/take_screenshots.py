"""Renews docs/screenshots from the demo: `./run shots`. Every picture is of the real window at 1280 × 800."""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
import time

from jutrek.demo import build
from jutrek.desk import events
from jutrek.desk.board import STILL, CaptureView
from jutrek.filing import Row
from jutrek.transfer.carry import Carrier, Proof
from jutrek.ui.start import application, wait
from jutrek.ui.window import MainWindow

_SHOTS = os.path.join(os.path.dirname(os.path.abspath(__file__)), "screenshots")
_DAY = "2026-05-14"
_NAMES = {"close-look.png", *(f"intake-{name}.png" for name in ("board", "undated", "running", "home"))}


def _like_a_slow_card() -> None:
    """Make every file take as long as from a slow card, so that a run can be seen."""
    carry = Carrier.carry

    def slowly(self: Carrier, row: Row, number: int) -> Proof:
        time.sleep(0.08)
        return carry(self, row, number)

    Carrier.carry = slowly  # type: ignore[method-assign]


class Camera:
    """A window on the demo, and what is seen of it."""

    def __init__(self, sources: list[str], library: str) -> None:
        self.app = application()
        self.window = MainWindow()
        self.page = self.window.page
        self.window.begin(library, sources)
        self.window.show()
        wait(self.app, lambda: self.page.board.plan is not None and len(self.page.board.sources) == len(sources))
        self.settle()

    def settle(self) -> None:
        """Let thumbnails come and timers run out."""
        wait(self.app, lambda: False, patience=500)
        wait(self.app, self.window.thumbnails.idle)
        wait(self.app, lambda: False, patience=300)

    def most_told(self) -> str:
        """The still of the day whose dates lie most apart."""

        def apart(view: CaptureView) -> int:
            details = self.page.details(view.id)
            return len({line.distance for line in details.claims}) if details and view.kind == STILL else 0

        return max(self.page.board.days[1].captures, key=apart).id

    def shoot(self, name: str) -> None:
        """Write what is seen."""
        self.window.grab().save(os.path.join(_SHOTS, f"{name}.png"))

    def shoot_running(self, name: str) -> None:
        """Bring home, and write what is seen when some two fifths are proven."""
        taken: list[bool] = []

        def look(event: events.Event) -> None:
            if (
                not taken
                and isinstance(event, events.Running)
                and event.progress.files > event.progress.all_files * 0.4
            ):
                taken.append(True)
                self.shoot(name)

        self.window._bridge.told.connect(look)
        self.window.bring_home()
        wait(self.app, lambda: not self.window._running)
        self.settle()


def main() -> None:
    """Take all pictures."""
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_DATA_HOME"] = os.path.join(folder, "xdg")
        scenario = build(os.path.join(folder, "demo"))
        camera = Camera(list(scenario.sources), scenario.library)
        camera.page.open_day(_DAY)
        camera.page.grid.choose(camera.page.board.days[1].captures[2].id)
        camera.settle()
        camera.shoot("intake-board")
        camera.page.grid.choose(camera.most_told())
        camera.page.look_close()
        camera.settle()
        camera.shoot("close-look")
        camera.page.close_look.leave()
        camera.page.open_day("")
        camera.settle()
        camera.shoot("intake-undated")
        camera.page._close()
        _like_a_slow_card()
        camera.shoot_running("intake-running")
        camera.page.open_day(_DAY)
        camera.settle()
        camera.shoot("intake-home")
        camera.window.close()
    stale = set(os.listdir(_SHOTS)) - _NAMES
    for name in stale:
        os.unlink(os.path.join(_SHOTS, name))
    sys.stdout.write(f"Pictures of the demo were written to {_SHOTS}.\n")


if __name__ == "__main__":
    if shutil.disk_usage(tempfile.gettempdir()).free < 300_000_000:
        sys.exit("The demo needs 300 MB of room for temporary files.")
    main()
