"""The run as it went: an axis that grows, and lanes of what was read back when."""

from __future__ import annotations

from jutrek.transfer import Progress
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.intake.ticks import Axis, RunTicks
from jutrek.ui.theme import current


def test_an_axis_doubles_until_all_lies_on_it() -> None:
    """What lay on it stays at its moment; two moments of one step are one tick."""
    axis = Axis()
    for lane, seconds in (("a", 0.0), ("a", 4.0), ("b", 7.99), ("b", 7.985), ("a", -0.01)):
        axis.add(lane, seconds)
    assert (axis.span, axis.steps) == (8.0, {"a": {0, 200}, "b": {399}})
    axis.add("a", 8.0)
    assert (axis.span, axis.steps) == (16.0, {"a": {0, 100, 200}, "b": {199}})
    axis.reach(70.0)
    assert (axis.span, axis.steps) == (128.0, {"a": {0, 12, 25}, "b": {24}})


def test_ticks_stand_in_the_lanes_of_their_sources(window: MainWindow) -> None:
    """Each is counted once; the last of six lanes is that of all further sources; another run begins with none."""
    theme = current()
    ticks = RunTicks(theme, window)
    ticks.begin({f"/{number}": (str(number), theme.device(number)) for number in range(8)})
    proven = [(0.5, "/0"), (1.0, "/6"), (1.1, "/7"), (1.2, "/elsewhere")]
    progress = Progress(4, 40, 9, 90, 60, "", 20.0, 2e6, 1e6)
    for _ in range(2):
        ticks.see(progress, proven)
    assert ticks.accessibleName() == "4 files read back in 0:20; now 2.0 MB/s read, 1.0 MB/s read back, 0 copies"
    ticks.resize(440, ticks.height())
    picture = ticks.grab().toImage()
    first, last = theme.device(0), theme.soft
    lanes = [[picture.pixelColor(x, 37 + lane * 10) for x in range(34, 426)] for lane in range(6)]
    assert [first in lanes[0], any(first in lane for lane in lanes[1:])] == [True, False]
    assert [last in lane for lane in lanes] == [False] * 5 + [True]
    ticks.begin({})
    ticks.see(progress, proven[:1])
    assert ticks.accessibleName().startswith("1 file read back")
