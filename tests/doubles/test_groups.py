"""Doubles of a library: four degrees, a keeper with its reason, and what is no double however alike it looks."""

from __future__ import annotations

import errno
import threading
from datetime import timedelta
from pathlib import Path

import pytest
from PIL import Image

from jutrek.demo import clips, sound, stills
from jutrek.demo.copies import _small_sound, worded
from jutrek.doubles import groups as searching
from jutrek.doubles.degrees import Degree, one_press, two_presses
from jutrek.doubles.groups import find_groups
from jutrek.errors import Stopped
from jutrek.library import Filed, Library
from jutrek.library.contents import Content
from jutrek.library.kept import forget_kept, keep_beside, kept_beside
from jutrek.library.ledger import Ledger
from tests.doubles.common import encoded, groups_of, learnt, paths, put, scene, shot
from tests.making import WHEN


def test_every_degree_is_found_once_and_says_one_thing(library: Library, ledger: Ledger) -> None:
    """Of files that are the same in one degree only the keeper stands for them in the next."""
    data = shot(0)
    put(library, "2026/05/a.jpg", data)
    put(library, "mess/a (1).jpg", data)
    put(library, "mess/with words.jpg", worded(data, ["bridge"], "Velmora Line Trust"))
    put(library, "mess/small.jpg", encoded(scene(0).resize((150, 100))))
    put(library, "2026/05/b.jpg", shot(3))
    put(library, "2026/05/c.jpg", shot(3, WHEN + timedelta(seconds=2), quality=85))
    found = groups_of(library, ledger)
    assert [group.degree for group in found] == list(Degree)
    assert paths(found) == [
        ["2026/05/a.jpg", "mess/a (1).jpg"],
        ["2026/05/a.jpg", "mess/with words.jpg"],
        ["2026/05/a.jpg", "mess/small.jpg"],
        ["2026/05/b.jpg", "2026/05/c.jpg"],
    ] or paths(found)[3] == ["2026/05/c.jpg", "2026/05/b.jpg"]
    assert found[0].why == "It lies in a dated folder and its name is the original one."
    assert found[0].free == len(data)
    only = groups_of(library, ledger, Degree.PICTURE)
    assert paths(only) == [["2026/05/a.jpg", "mess/small.jpg"]]


def test_the_keeper_and_its_reason(library: Library, ledger: Ledger) -> None:
    """What Jutrek filed stays before what only lies in a dated folder; the raw before its export; more pixels."""
    data = shot(1)
    put(library, "2026/05/a.jpg", data)
    put(library, "2024/07/b.jpg", data)
    learnt(library, ledger)
    ledger.put_filed([("2026/05/a.jpg", Filed("2026-05-14T10:26:13"))])
    (group,) = groups_of(library, ledger)
    assert (group.keeper, group.dated, group.free) == ("2026/05/a.jpg", False, len(data))
    about = stills.Shot(WHEN, "Arlen", "M2", "A2-1")
    put(library, "raws/DSC1.dng", stills.dng(scene(6, (900, 600)), about))
    put(library, "exports/one for the calendar.jpg", stills.jpeg(scene(6, (450, 300)), about))
    raw = groups_of(library, ledger, Degree.PICTURE)[-1]
    assert (raw.keeper, raw.dated) == ("raws/DSC1.dng", False)
    assert raw.why.startswith("It is the raw")
    put(library, "x/large.jpg", encoded(scene(7, (600, 400))))
    put(library, "2020/05/small.jpg", encoded(scene(7, (600, 400)).resize((200, 133))))
    pixels = next(one for one in groups_of(library, ledger, Degree.PICTURE) if "x/large.jpg" in paths([one])[0])
    assert pixels.keeper == "x/large.jpg"
    assert pixels.why.startswith("It has more pixels")


def test_one_press_and_two_presses_are_no_doubles(library: Library, ledger: Ledger) -> None:
    """Raw and picture of one press lie together or apart; frames of a burst only look alike."""
    about = stills.Shot(WHEN, "Arlen", "M2", "A2-1")
    picture = scene(2, (900, 600))
    put(library, "2026/DSC7.dng", stills.dng(picture, about))
    put(library, "2026/DSC7.jpg", stills.jpeg(picture, about))
    for number in range(3):
        put(library, f"burst/{number}.jpg", shot(8, WHEN + timedelta(seconds=number), quality=80 + number))
    found = groups_of(library, ledger)
    assert {group.degree for group in found} == {Degree.ALIKE}
    assert sorted(paths(found)[0]) == ["burst/0.jpg", "burst/1.jpg", "burst/2.jpg"]


def content(path: str, **more: object) -> Content:
    """What a file holds, as far as a test says it."""
    base = Content(path, 10, 0, "still", "jpeg", 6000, 4000, taken="2026-05-14T10:00:00+02:00", device="Arlen M2")
    return base._replace(**more)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("other", "together"),
    [
        (content("a/DSC1.dng", format="dng"), True),
        (content("a/DSC1_proxy.jpg"), True),
        (content("elsewhere/dsc1.dng", format="dng"), True),
        (content("elsewhere/DSC1.dng", format="dng", width=1500), False),
        (content("elsewhere/DSC1.jpg"), False),
        (content("elsewhere/DSC1.dng", format="dng", width=5400), True),
        (content("elsewhere/DSC1.dng", format="dng", width=5399), False),
        (content("a/DSC2.jpg"), False),
    ],
)
def test_what_one_press_made(other: Content, together: bool) -> None:
    """Told by names, folders and pixels: a small export of a raw is a double, its full picture is its companion."""
    assert one_press(content("a/DSC1.jpg"), other) is together
    assert one_press(other, content("a/DSC1.jpg")) is together


@pytest.mark.parametrize(
    ("other", "apart"),
    [
        (content("a/2.jpg", taken="2026-05-14T10:00:00.5+02:00"), True),
        (content("a/2.jpg", taken="2026-05-14T08:03:00+00:00"), True),
        (content("b/2.jpg", taken="2026-05-14T11:00:00+02:00"), False),
        (content("b/2.jpg", taken="2026-05-14T10:10:00+02:00"), True),
        (content("b/2.jpg", taken="2026-05-14T10:10:01+02:00"), False),
        (content("b/2.jpg", taken="2026-05-14T10:01"), True),
        (content("b/2.jpg", taken=""), False),
        (content("b/2.jpg", taken="2026-05-14"), False),
        (content("b/2.jpg", device="Skarv P4", taken="2026-05-14T10:00:01+02:00"), False),
        (content("a/2.jpg", payload=5), True),
        (content("a/1-web.jpg", payload=5), False),
        (content("b/2.jpg", payload=5), False),
        (content("a/2.jpg", payload=5, width=5999), False),
        (content("a/2.jpg", payload=5, format="png"), False),
        (content("a/2.jpg"), False),
    ],
)
def test_what_two_presses_made(other: Content, apart: bool) -> None:
    """Of one device, shortly after one another; in one second, only frames beside one another as they came."""
    assert two_presses(content("a/1.jpg"), other) is apart
    assert two_presses(other, content("a/1.jpg")) is apart


def test_clips_and_sounds_are_known_in_another_encoding(library: Library, ledger: Ledger) -> None:
    """By frames along a clip, and by the course of loudness; other takes of the same length are not."""
    take = clips.Take("bridge", WHEN, 1, "Hovar", "4K")
    put(library, "a.mov", clips.clip(take, 5, (320, 180)))
    put(library, "b.mov", clips.clip(take, 5, (160, 90)))
    put(library, "c.mov", clips.clip(take, 9, (320, 180)))
    long = sound.take(WHEN, 6, 3, scene="Yard", number=1)
    put(library, "a.wav", long)
    put(library, "a small.mp3", _small_sound(long))
    put(library, "other.wav", sound.take(WHEN, 6, 4, scene="Yard", number=2))
    found = groups_of(library, ledger)
    assert {group.degree for group in found} == {Degree.PICTURE}
    assert sorted(map(sorted, paths(found))) == [["a small.mp3", "a.wav"], ["a.mov", "b.mov"]]


def test_what_is_kept_beside_each_other_is_not_asked_about_again(library: Library, ledger: Ledger) -> None:
    """Whatever it is called by then; what cannot be read of the list is left out; and it can be asked again."""
    data = shot(0)
    put(library, "a.jpg", data)
    put(library, "b.jpg", data)
    (group,) = groups_of(library, ledger)
    keep_beside(library, [group.marks])
    Path(library.root, "b.jpg").rename(Path(library.root, "c.jpg"))
    assert groups_of(library, ledger, settled=kept_beside(library)) == []
    with Path(library.own, "kept-both.jsonl").open("a") as file:
        file.write("no json\n[1, 2]\n")
    assert kept_beside(library) == [frozenset(group.marks)]
    forget_kept(library, [group.marks])
    assert len(groups_of(library, ledger, settled=kept_beside(library))) == 1


def test_other_bytes_of_one_size_and_files_that_vanish(library: Library, ledger: Ledger) -> None:
    """Same size, same ends and another middle is no double; what cannot be read any more is left out."""
    noise = bytearray(encoded(Image.effect_noise((900, 900), 60).convert("RGB"), quality=95))
    assert len(noise) > 300_000
    put(library, "a.jpg", bytes(noise))
    noise[len(noise) // 2] ^= 1
    put(library, "b.jpg", bytes(noise))
    assert Degree.BYTES not in {group.degree for group in groups_of(library, ledger)}
    data = shot(0)
    put(library, "c.jpg", data)
    put(library, "d.jpg", data)
    learnt(library, ledger)
    Path(library.root, "d.jpg").unlink()
    assert find_groups(library, ledger, degrees=[Degree.BYTES], stop=threading.Event()) == []


def test_comparing_can_be_stopped_and_is_not_done_twice(
    library: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch
) -> None:
    """How far pictures agree is kept by their content."""
    put(library, "a.jpg", encoded(scene(0)))
    put(library, "b.jpg", encoded(scene(0).resize((150, 100))))
    learnt(library, ledger)
    stop = threading.Event()
    stop.set()
    with pytest.raises(Stopped):
        find_groups(library, ledger, stop=stop)
    assert len(groups_of(library, ledger)) == 1
    Path(library.root, "a.jpg").rename(Path(library.root, "moved.jpg"))
    monkeypatch.setattr("jutrek.doubles.still_matching.share_of", lambda *_: pytest.fail("compared again"))
    assert len(groups_of(library, ledger)) == 1


def test_a_group_is_dated_where_only_its_keeper_is(library: Library, ledger: Ledger) -> None:
    """Its payload's fingerprints are made once, and kept."""
    put(library, "2026/05/a.jpg", shot(1))
    put(library, "mess/b.jpg", worded(shot(1), ["bridge"], "Velmora Line Trust"))
    learnt(library, ledger)
    (group,) = groups_of(library, ledger, Degree.PAYLOAD)
    assert (group.keeper, group.dated) == ("2026/05/a.jpg", True)
    prints = {one.print for one in ledger.contents.of_paths(["2026/05/a.jpg", "mess/b.jpg"]).values()}
    assert len(prints) == 1
    assert None not in prints


def test_what_cannot_be_read_now_is_tried_another_time(
    library: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A drive that vanishes while a library is looked through leaves nothing known, and nothing wrongly known."""
    put(library, "a.jpg", encoded(scene(0)))
    put(library, "b.jpg", encoded(scene(0).resize((150, 100))))

    def gone(*_: object) -> None:
        raise OSError(errno.EIO, "Input/output error")

    with monkeypatch.context() as patch:
        patch.setattr("jutrek.doubles.grayscale.still", gone)
        learnt(library, ledger)
    assert [one.path for one in ledger.contents.unseen()] == ["a.jpg", "b.jpg"]
    learnt(library, ledger)
    with monkeypatch.context() as patch:
        patch.setattr("jutrek.doubles.grayscale.still", gone)
        assert {group.degree for group in groups_of(library, ledger)} <= {Degree.ALIKE}
    assert ledger.contents.agreements() == {}
    assert [group.degree for group in groups_of(library, ledger)] == [Degree.PICTURE]


def test_alike_ones_stand_around_one_not_in_a_chain() -> None:
    """The ends of a chain need not look alike."""
    search = searching._Search(None, None, threading.Event(), lambda *_: None, [])  # type: ignore[arg-type]
    files = [content(f"{name}.jpg", taken=f"2026-05-14T10:0{name}:00") for name in range(4)]
    search.close = [(files[0], files[1]), (files[1], files[2]), (files[2], files[3])]
    assert [[one.path for one in group] for group in search.alike(files)] == [["0.jpg", "1.jpg"], ["2.jpg", "3.jpg"]]
