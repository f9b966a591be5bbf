"""Renews docs/screenshots and docs/patterns.md from the demo: `./run shots`.

Every picture is of the real window at 1280 × 800.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import date

import write_manual
import write_patterns

from jutrek.captures.decisions import Describe
from jutrek.demo import build, build_mess
from jutrek.desk import events
from jutrek.desk.answers import CaughtUp, DoublesFound
from jutrek.desk.board_captures import STILL, CaptureView
from jutrek.desk.furnishing import furnish
from jutrek.doubles.degrees import Degree
from jutrek.filing.pattern import Piece
from jutrek.filing.starting import STARTS
from jutrek.library import new_library
from jutrek.transfer.carry import Carrier
from jutrek.transfer.flight import Flight
from jutrek.ui.app.finder import Finder
from jutrek.ui.app.start import application, wait
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.jobs.page import JobsPage
from jutrek.views.conditions import EVERYTHING
from jutrek.views.sentence import parse
from jutrek.wording.properties import Field

_SHOTS = os.path.join(os.path.dirname(os.path.abspath(__file__)), "screenshots")
_DAY = "2026-05-14"
_WORDS = {
    "2026-05-12": "Depot walk-through", "2026-05-14": "Bridge survey, upper valley", "2026-05-15": "Rail unloading",
    "2026-05-17": "First steam test",
}  # fmt: skip
_NAMES = {
    "captions.png",
    "close-look.png",
    "doubles.png",
    "finding.png",
    "jobs.png",
    "journal.png",
    "outline.png",
    "report.png",
    *(f"intake-{name}.png" for name in ("board", "settle", "running", "home")),
    *(f"library-{name}.png" for name in ("time", "folders", "clash", "away", "sorting")),
    *(f"rules-{name}.png" for name in ("composing", "refiling")),
}


def _like_a_slow_card() -> None:
    """Make every file take as long as from a slow card, so that a run can be seen."""
    bring_in = Carrier._bring_in

    def slowly(self: Carrier, flight: Flight) -> None:
        time.sleep(0.3)
        bring_in(self, flight)

    Carrier._bring_in = slowly  # type: ignore[method-assign]


class Camera:
    """A window on the demo, and what is seen of it."""

    def __init__(self, sources: list[str], library: str) -> None:
        self.app = application()
        self.window = MainWindow()
        self.window.learns = True
        self.page = self.window.page("intake").view
        self.window.begin(library, sources)
        self.window.show()
        wait(self.app, lambda: self.page.board.plan is not None and len(self.page.board.sources) == len(sources))
        self.settle()

    def settle(self) -> None:
        """Let thumbnails come and timers run out."""
        wait(self.app, lambda: False, patience=500)
        wait(self.app, self.window.pictures.idle)
        wait(self.app, lambda: False, patience=300)

    def most_told(self) -> str:
        """The still of the day whose dates lie most apart."""

        def apart(view: CaptureView) -> int:
            details = self.page.details(view.id)
            return len({line.distance for line in details.claims}) if details and view.kind == STILL else 0

        return max(self.page.board.days[2].captures, key=apart).id

    def until(self, holds: Callable[[], bool]) -> None:
        """Wait until something holds, and all is painted."""
        wait(self.app, holds)
        self.settle()

    def answer_everything(self) -> None:
        """Give every question its proposed answer, and say what the shoots were."""
        for question in self.page.board.questions:
            self.page.answered.emit(question.key, 0)
        for day, words in _WORDS.items():
            self.page.decided.emit([Describe(date.fromisoformat(day), None, words)])
        self.until(lambda: not self.page.board.questions and self.page.board.days[4].words == "First steam test")

    def compare(self) -> None:
        """Let the library be learnt, and the intake be compared with it."""
        self.until(lambda: not self.page.board.not_compared)

    def shoot(self, name: str) -> None:
        """Write what is seen."""
        self.window.grab().save(os.path.join(_SHOTS, f"{name}.png"))

    def shoot_finding(self) -> None:
        """Look for something by typing."""
        self.window.find()
        finder = self.window.findChild(Finder)
        assert isinstance(finder, Finder)
        finder.field.setText("bridge")
        self.settle()
        self.shoot("finding")
        finder.leave()

    def shoot_rules(self) -> None:
        """Compose a layout."""
        self.window.go_to("rules")
        rules = self.window.page("rules").view
        self.until(lambda: rules.trial is not None and rules.trial.tally is not None)
        rules.start_from(STARTS[2])
        rules.composer.path.setFocus()
        rules.composer.path.caret = len(rules.composer.path.tokens)
        rules.composer.path.type_text("/")
        rules.composer.path.insert(Piece("kind"))
        self.settle()
        self.shoot("rules-composing")
        rules.put_back.click()
        self.window.go_to("intake")

    def shoot_library(self) -> None:
        """Look at what is home: by time, narrowed, and by folder."""
        self.window.go_to("library")
        view = self.window.page("library").view
        self.until(lambda: view.view is not None and len(view.grid.rows) > 200 and "left" not in view.bar.words())
        self.window.page("library").show(parse("stills in May 2026"))
        self.until(lambda: len(view.grid.rows) < 200)
        for letter, at in (("R", (0, 5, 6)), ("P", (8,))):
            for one in at:
                view.grid.choose(one, add=one != at[0])
            self.window.page("library").marking.mark(letter)
            self.until(lambda: f"marked {letter}" in view.bar.words())  # noqa: B023
        view.notify("")
        for at in (1, 2):
            view.grid.choose(at, span=at > 1)
        view.folders.list.mark("2026/05/14 Bridge survey, upper valley")
        self.settle()
        self.shoot("library-time")
        self.shoot_captions()
        self.window.page("library").show(EVERYTHING)
        self.until(lambda: len(view.grid.rows) > 200)
        view.turn()
        view.stairs.go("2026/05/14 Bridge survey, upper valley")
        view.grid.choose(3)
        self.settle()
        self.shoot("library-folders")
        view.turn()
        self.shoot_away()
        self.shoot_clash()

    def shoot_captions(self) -> None:
        """What some captures say, and what is to be said of them; nothing is written."""
        page = self.window.page("library")
        for at in (1, 2, 5, 6):
            page.view.grid.choose(at, add=at > 1)
        page.captions.open()
        sheet = page.view.captions
        self.until(lambda: all(field.isEnabled() for field in sheet.fields.values()))
        sheet.word.taken.emit("viaduct")
        sheet.word.taken.emit("steam")
        sheet.fields[Field.TITLE].setText("Bridge survey")
        self.settle()
        self.shoot("captions")
        sheet.close_it()

    def shoot_jobs(self) -> None:
        """A job that is about to be started, and the outline that it is started by."""
        page = self.window.go_to("jobs")
        assert isinstance(page, JobsPage)
        view = page.view
        self.until(lambda: len(view.rows.jobs) == 3 and bool(view.sentence.fields))
        for field, words in zip(view.sentence.fields, ("VLT", "Boiler test", "RK"), strict=True):
            field.setText(words)
        view.sentence.changed.emit()
        self.until(lambda: "0118" in view.main.text())
        self.shoot("jobs")
        view.edited.emit()
        self.until(lambda: bool(page.outline_view.stairs.spoken_parts()))
        self.shoot("outline")
        page.outline_view.left.emit()

    def shoot_away(self) -> None:
        """A year is stored on a drive that is away; it comes back afterwards."""
        page = self.window.page("library")
        view = page.view
        heron = os.path.join(os.path.dirname(view.view.root), "Heron")
        os.makedirs(heron)
        page.storing.store("2025", heron)
        self.until(lambda: "stored on Heron" in view.bar.words() and "2025" in view.view.folder_drives)
        os.rename(heron, f"{heron} away")
        page.activated()
        page.show(parse("stills in April 2025 or June 2024"))
        self.until(lambda: [one.here for one in view.view.drives] == [False] and len(view.grid.rows) < 50)
        view.folders.list.rows.open_all(False)
        view.grid.choose(2)
        view.notify("")
        self.settle()
        self.shoot("library-away")
        os.rename(f"{heron} away", heron)
        page.storing.fetch(["2025"])
        self.until(lambda: "fetched from Heron" in view.bar.words() and not view.view.folder_drives)

    def shoot_clash(self) -> None:
        """Two pictures are to go where others bear their names; nothing moves."""
        page = self.window.page("library")
        page.show(parse('in folder "Bridge survey (from Ilvar)"'))
        self.until(lambda: 0 < len(page.view.grid.rows) < 10)
        for at in (0, 1):
            page.view.grid.choose(at, add=at > 0)
        page.tidying.move(page.view.grid.picked(), "2026/Rail unloading (from Ilvar)")
        self.until(page.view.clashes.isVisible)
        self.settle()
        self.shoot("library-clash")
        page.view.clashes.nothing.click()
        page.show(EVERYTHING)

    def shoot_refiling(self) -> None:
        """Keep other rules, and plan to file anew what is home."""
        self.window.go_to("rules")
        rules = self.window.page("rules").view
        rules.start_from(STARTS[4])
        rules.keep_or_refile()
        self.until(rules.plan_refiling.isEnabled)
        rules.plan_refiling.click()
        self.until(rules.keep.isEnabled)
        self.shoot("rules-refiling")

    def catch_up(self, place: str) -> None:
        """Bring a place what was at home before there was the place."""
        caught: list[CaughtUp] = []
        self.window.page("intake").ask_library(lambda library: library.places.catch_up(place), caught.append)
        self.until(lambda: bool(caught))
        self.window.page("intake").notify("")

    def shoot_doubles(self) -> None:
        """Doubles settled by eye."""
        self.window.go_to("doubles")
        page = self.window.page("doubles").view
        self.until(lambda: page._learning is not None and page._learning.complete)
        self.until(lambda: len(page._all) > 20 and not page._working and page.pair.whole())
        page.decide_pile(page.piles._piles[0])
        page.list.choose_degree(Degree.PAYLOAD)
        while "words" not in page.list.group().files[1].path:
            page.list.step(1)
        self.until(lambda: bool(page.carry.text()) and page.pair.whole())
        self.shoot("doubles")
        self.window.go_to("intake")

    def shoot_journal(self) -> None:
        """The journal, with the intake opened."""
        self.window.go_to("journal")
        page = self.window.page("journal").view
        self.until(lambda: bool(page.list.rows.records and page.places.cards))
        runs = [record.kind for record in page.list.rows.records]
        page.list.setCurrentIndex(page.list.rows.index(runs.index("intake")))
        self.until(lambda: bool(page.run.model.files))
        self.shoot("journal")
        self.window.go_to("intake")

    def shoot_running(self, name: str) -> None:
        """Bring home, and write what is seen when some two fifths are proven."""
        taken: list[bool] = []

        def look(event: events.Running) -> None:
            if not taken and event.progress.files > event.progress.all_files * 0.4:
                taken.append(True)
                self.shoot(name)

        self.window.client.on(events.Running, look)
        wait(self.app, self.page.action_bar.main.isEnabled)
        self.window.page("intake").go()
        wait(self.app, lambda: not self.window.runs.running)
        self.settle()
        if not taken or "proven" not in self.page.action_bar.words():
            sys.exit(f"The demo did not come home: {self.page.action_bar.words()}")


def shoot_report(path: str) -> None:
    """The report as a browser shows it; where there is none, the picture stays as it is."""
    browser = shutil.which("chromium")
    if browser is None:
        sys.stdout.write("No chromium here: the picture of the report was not renewed.\n")
        return
    picture = os.path.join(_SHOTS, "report.png")
    options = ("--headless", "--no-sandbox", "--hide-scrollbars", "--window-size=1280,800", f"--screenshot={picture}")
    subprocess.run([browser, *options, f"file://{path}"], check=True, capture_output=True)


def shoot_sorting(folder: str) -> None:
    """A mess that is sorted by hand: some of it is filed, some set aside, three captures are about to go."""
    library = build_mess(os.path.join(folder, "Old pictures"))
    new_library(library)
    app = application()
    window = MainWindow()
    window.learns = True
    window.begin(library, [])
    window.show()
    page = window.page("library")
    window.go_to("library")
    wait(app, lambda: page.view.view is not None and len(page.view.view.laid.months) > 50)
    found: list[DoublesFound] = []
    while not found or len(found[-1].groups) < 15:
        page.ask_library(lambda at: at.doubles.known(), found.append)
        wait(app, lambda: False, patience=500)
    page.sorting.begin(parse("in folder /From the old computer"))
    wait(app, lambda: page.sorting.is_open)
    shown = page.sorting.shown
    view, grid = shown.view, shown.view.grid
    for count, folder_, more in ((4, "Volunteers", ""), (9, "Kettle viaduct", ""), (6, "", "Track/{year}")):
        for _ in range(count):
            if (along := shown.along()) is not None and along.words != "same day":
                grid.pick(along.rows)
            if more:
                view.destination.begin(more)
            else:
                view.cards.choose([one.folder for one in view.cards.cards].index(folder_))
            page.sorting.answers.file()
        page.sorting.answers.put_aside()
    wait(app, lambda: not shown.found.bench.under_way)
    wait(app, lambda: False, patience=3000)
    large = max((one for one in shown.found.bench.piles(shown.by) if one.key), key=lambda one: one.to_go)
    shown.go_to(large.key)
    for at in (0, 1, 3):
        grid.choose(at, add=at > 0)
    view.destination.field.completer().popup().hide()
    view.cards.choose(1)
    # What is seen is wished for as it is painted.
    wait(app, lambda: False, patience=500)
    wait(app, window.pictures.idle)
    wait(app, lambda: False, patience=300)
    window.grab().save(os.path.join(_SHOTS, "library-sorting.png"))
    window.close()


def main() -> None:
    """Take all pictures."""
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_DATA_HOME"] = os.environ["XDG_CACHE_HOME"] = os.path.join(folder, "xdg")
        scenario = build(os.path.join(folder, "demo"))
        os.environ["XDG_STATE_HOME"] = os.path.join(folder, "xdg")
        write_patterns.write(scenario)
        write_manual.write()
        shoot_sorting(folder)
        furnish(scenario.library, scenario.place)
        camera = Camera(list(scenario.sources), scenario.library)
        camera.catch_up(camera.page.board.places[0].id)
        camera.compare()
        camera.page.open_settle()
        camera.until(lambda: bool(camera.page.settle.effect.accessibleName()))
        camera.shoot("intake-settle")
        camera.page.close_settle()
        camera.answer_everything()
        camera.compare()
        camera.page.open_day(_DAY)
        camera.page.grid.choose(camera.page.board.days[2].captures[2].id)
        camera.settle()
        camera.shoot("intake-board")
        camera.shoot_finding()
        camera.page.grid.choose(camera.most_told())
        camera.page.look_close()
        camera.settle()
        camera.shoot("close-look")
        camera.page.close_look.leave()
        camera.shoot_rules()
        camera.page.when.close_row()
        _like_a_slow_card()
        camera.shoot_running("intake-running")
        camera.page.open_day(_DAY)
        camera.settle()
        camera.shoot("intake-home")
        shoot_report(camera.window.page("intake").runs.report)
        camera.shoot_journal()
        camera.shoot_jobs()
        camera.shoot_library()
        camera.shoot_refiling()
        camera.shoot_doubles()
        camera.window.close()
    stale = set(os.listdir(_SHOTS)) - _NAMES
    for name in stale:
        os.unlink(os.path.join(_SHOTS, name))
    sys.stdout.write(f"Pictures of the demo were written to {_SHOTS}.\n")


if __name__ == "__main__":
    if shutil.disk_usage(tempfile.gettempdir()).free < 300_000_000:
        sys.exit("The demo needs 300 MB of room for temporary files.")
    main()
