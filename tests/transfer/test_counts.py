"""What a run tells while it is at work: how far each source and place is, how fast, and for how much longer."""

from __future__ import annotations

import pytest

from jutrek.filing import Action, Row
from jutrek.library import Library, Place, as_place
from jutrek.transfer.control import Control
from jutrek.transfer.copies import Copied
from jutrek.transfer.counts import Counts
from jutrek.transfer.outcome import Done, Stream
from jutrek.transfer.pace import WINDOW, Pace, TimeLeft

ROWS = [
    Row(f"{root}/{number}", root, Action.BRING, f"{number}", "", size)
    for number, (root, size) in enumerate((("/a", 100), ("/a", 300), ("/b", 600)))
]


def test_progress_tells_every_source_and_every_place(library: Library, tarn: Place) -> None:
    """Files and bytes, done and in all; what is lost says why, and keeps nobody waiting."""
    counts, home = Counts(ROWS, [as_place(library), tarn], began=10.0), as_place(library).id
    begun = counts.progress(10.5, Control())
    assert begun.sources == (Stream("/a", 0, 0, 2, 400), Stream("/b", 0, 0, 1, 600))
    assert begun.places == (Stream(home, 0, 0, 3, 1000), Stream(tarn.id, 0, 0, 3, 1000))
    assert (begun.all_files, begun.all_bytes, begun.elapsed, begun.seconds_left) == (3, 1000, 0.5, None)
    counts.begin(ROWS[0])
    counts.read(ROWS[0], 100)
    counts.read(ROWS[2], 300)
    counts.proven(ROWS[0], home, 100)
    counts.end(Done(ROWS[0], True, "", copies=(Copied(tarn.id, why="It is full."),)))
    counts.end(Done(ROWS[2], False, "It could not be read.", copies=(Copied(tarn.id),)))
    now = counts.progress(14.0, Control())
    assert [(one.files, one.bytes, one.speed, one.current) for one in now.sources] == [
        (1, 100, 25.0, "/a/0"), (1, 300, 75.0, "")
    ]  # fmt: skip
    assert [(one.files, one.bytes, one.speed) for one in now.places] == [(1, 100, 25.0), (1, 0, 0.0)]
    assert (now.files, now.bytes, now.read_bytes, now.current) == (1, 100, 400, "/a/0")
    assert (now.read_speed, now.proven_speed, now.speed) == (100.0, 25.0, 62.5)
    # To be read are 600, to be proven 1,000 in the place that is slower: it, too, has to be waited for.
    assert now.seconds_left == pytest.approx(1600 / 100)
    counts.lost(tarn.id, "It was pulled.")
    counts.lost("another", "Nobody knows it.")
    later = counts.progress(18.0, Control())
    assert later.places[1].lost == "It was pulled."
    assert later.seconds_left == pytest.approx((12.0 + 1500 / (50 + 12.5)) / 2)


def test_a_speed_is_of_the_last_seconds() -> None:
    """What lies further back no longer counts; where no time has passed there is none."""
    pace = Pace(0.0)
    assert pace.speed == 0.0
    pace.see(0.0, 50)
    assert pace.speed == 0.0
    pace.see(4.0, 400)
    assert pace.speed == 100.0
    pace.see(4.0 + WINDOW, 1200)
    assert pace.speed == 100.0
    pace.see(8.0 + WINDOW, 1200)
    assert pace.speed == pytest.approx(800 / 12)


def test_the_time_that_is_left_counts_down_and_is_corrected_gently() -> None:
    """What was said stands while it is off by a fifth; else both meet halfway. Standing still says nothing."""
    left = TimeLeft()
    assert left.estimate(0.0, 1000, 0.0) is None
    assert left.estimate(0.0, 1000, 10.0) == 100.0
    assert left.estimate(10.0, 1000, 10.0) == 90.0
    assert left.estimate(10.0, 1125, 10.0) == 90.0
    assert left.estimate(10.0, 1200, 10.0) == 105.0
    assert left.estimate(200.0, 5, 10.0) == 0.0
