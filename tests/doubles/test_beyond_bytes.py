"""Standings beyond bytes, of an intake and of single files; and learning, which can stop and is not done twice."""

from __future__ import annotations

import os
import threading
from dataclasses import replace
from datetime import timedelta
from pathlib import Path

import pytest

from jutrek.captures import ReadFile
from jutrek.demo import clips, sound, stills
from jutrek.demo.copies import _small_sound, worded
from jutrek.demo.shelf.media import humming
from jutrek.doubles import Comparison, Standing, beyond_bytes, compare, learning
from jutrek.doubles.beyond_bytes import Lookout, retagged
from jutrek.doubles.finding import Answer, find
from jutrek.doubles.learning import Lesson, learn
from jutrek.doubles.waiting import remembered
from jutrek.errors import Stopped
from jutrek.formats import read
from jutrek.library import Library, ProofMark, State, survey
from jutrek.library.ledger import Ledger
from jutrek.sources import SourceFile
from tests.doubles.common import encoded, learnt, put, scene, shot
from tests.making import WHEN, xmp


def source(path: Path, data: bytes) -> ReadFile:
    """A file of a source, written and read."""
    path.write_bytes(data)
    status = path.stat()
    file = SourceFile(str(path), str(path.parent), status.st_size, status.st_mtime_ns)
    return ReadFile(file, read(str(path)), None)


def stand(library: Library, ledger: Ledger, *reads: ReadFile) -> dict[str, Comparison]:
    """Where files stand by bytes, payload and looks, by their names; what is new is left out."""
    stands = compare([one.file for one in reads], ledger, library.root)
    stands |= retagged(reads, stands, ledger, library.root)
    stands |= Lookout(ledger, library.root, threading.Event()).standings(reads, stands)
    known = {os.path.basename(path): one for path, one in stands.items() if one.standing is not Standing.NEW}
    return {name: Comparison(one.standing, os.path.basename(one.equal)) for name, one in known.items()}


def test_an_intake_is_compared_with_the_library_in_every_way(library: Library, ledger: Ledger, tmp_path: Path) -> None:
    """What was learnt of the library is enough: none of its files is decoded again but to compare."""
    put(library, "a.jpg", shot(0))
    put(library, "b.jpg", shot(3))
    put(library, "c.jpg", shot(6))
    learnt(library, ledger)
    found = stand(
        library, ledger, source(tmp_path / "1.jpg", shot(0)),
        source(tmp_path / "2.jpg", worded(shot(3), ["bridge"], "")),
        source(tmp_path / "3.jpg", encoded(scene(6).resize((150, 100)))),
        source(tmp_path / "4.jpg", shot(6, WHEN + timedelta(seconds=1), quality=70)),
        source(tmp_path / "5.jpg", shot(9)),
    )  # fmt: skip
    assert found == {
        "1.jpg": Comparison(Standing.HOME, "a.jpg"),
        "2.jpg": Comparison(Standing.RETAGGED, "b.jpg"),
        "3.jpg": Comparison(Standing.REENCODED, "c.jpg"),
        "4.jpg": Comparison(Standing.ALIKE, "c.jpg"),
    }


def test_the_better_one_is_told(library: Library, ledger: Ledger, tmp_path: Path) -> None:
    """A raw against its export, and more pixels against fewer; not the other way round."""
    about = stills.Shot(WHEN, "Arlen", "M2", "A2-1")
    put(library, "small.jpg", encoded(scene(1).resize((150, 100))))
    put(library, "export.jpg", stills.jpeg(scene(6, (900, 600)), None))
    put(library, "whole.jpg", shot(3))
    learnt(library, ledger)
    reads = [
        source(tmp_path / "1.jpg", shot(1)), source(tmp_path / "2.dng", stills.dng(scene(6, (900, 600)), about)),
        source(tmp_path / "3.jpg", encoded(scene(3).resize((150, 100)))),
    ]  # fmt: skip
    found = Lookout(ledger, library.root, threading.Event()).standings(reads, {})
    assert [found[read.file.path] for read in reads] == [
        Comparison(Standing.REENCODED, "small.jpg", better=True),
        Comparison(Standing.REENCODED, "export.jpg", better=True),
        Comparison(Standing.REENCODED, "whole.jpg"),
    ]  # fmt: skip


def test_an_intake_is_compared_with_itself(library: Library, ledger: Ledger, tmp_path: Path) -> None:
    """The first of those that are the same is the original; sounds without tags, too."""
    plain, tagged = humming("ogg", "vorbis", {}, form="fltp"), humming("ogg", "vorbis", {"title": "Yard"}, form="fltp")
    found = stand(
        library, ledger, source(tmp_path / "1.jpg", shot(0)), source(tmp_path / "2.jpg", shot(0, None)),
        source(tmp_path / "3.jpg", encoded(scene(0), quality=60)), source(tmp_path / "4.ogg", plain),
        source(tmp_path / "5.ogg", tagged), source(tmp_path / "6.xmp", xmp()),
    )  # fmt: skip
    assert found == {
        "2.jpg": Comparison(Standing.RETAGGED, "1.jpg"),
        "3.jpg": Comparison(Standing.REENCODED, "1.jpg"),
        "5.ogg": Comparison(Standing.RETAGGED, "4.ogg"),
    }


def test_what_came_home_a_moment_ago_is_compared_where_it_came_from(
    library: Library, ledger: Ledger, tmp_path: Path
) -> None:
    """The library was not looked at since: a copy with other words is known all the same."""
    put(library, "a.jpg", shot(0))
    survey(library, ledger)
    reads = source(tmp_path / "1.jpg", shot(0)), source(tmp_path / "2.jpg", worded(shot(0), ["bridge"], ""))
    stands = compare([one.file for one in reads], ledger, library.root)
    found = retagged(reads, stands, ledger, library.root)
    assert found == {reads[1].file.path: Comparison(Standing.RETAGGED, "a.jpg")}


def test_what_is_known_to_be_damaged_is_nobody_s_equal(library: Library, ledger: Ledger, tmp_path: Path) -> None:
    """A copy with other words is then the better one: it comes home."""
    size = put(library, "a.jpg", shot(0)).stat().st_size
    learnt(library, ledger)
    read = source(tmp_path / "2.jpg", worded(shot(0), ["bridge"], ""))
    assert retagged([read], {}, ledger, library.root) == {read.file.path: Comparison(Standing.RETAGGED, "a.jpg")}
    ledger.put_proofs([ProofMark("", "a.jpg", size, 0, b"", "2026-05-14T10:00:00Z", State.ROTTED)])
    assert retagged([read], {}, ledger, library.root) == {}


def test_a_finding_lasts_as_long_as_both_files(library: Library, ledger: Ledger, tmp_path: Path) -> None:
    """It follows an equal that is moved; it ends with either."""
    put(library, "a.jpg", shot(0))
    survey(library, ledger)
    file = source(tmp_path / "1.jpg", shot(1)).file
    found = {file.path: Comparison(Standing.ALIKE, "a.jpg")}
    assert remembered([file], found, ledger) == remembered([file], {}, ledger) == found
    ledger.move([("a.jpg", "b.jpg")])
    found = {file.path: Comparison(Standing.ALIKE, "b.jpg")}
    assert remembered([file], {}, ledger) == found
    assert remembered([replace(file, mtime_ns=1)], {}, ledger) == {}
    assert remembered([file], {}, ledger) == {}
    remembered([file], found, ledger)
    ledger.drop(["b.jpg"])
    assert remembered([file], {}, ledger) == {}


def test_payloads_of_another_size_are_not_read(
    library: Library, ledger: Ledger, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A size that nothing else has says enough; and a file that vanishes is new, whatever it was."""
    put(library, "a.jpg", shot(0))
    learnt(library, ledger)
    one, gone = source(tmp_path / "1.jpg", shot(3)), source(tmp_path / "2.jpg", shot(0, None))
    os.unlink(gone.file.path)
    monkeypatch.setattr("jutrek.doubles.payload.Payload.print", lambda *_: pytest.fail("a payload was read"))
    assert retagged([one, gone], {}, ledger, library.root) == {}


def test_looking_can_be_stopped_and_goes_on(library: Library, ledger: Ledger, tmp_path: Path) -> None:
    """What was seen is kept, with the file's size and time; another file of that name is looked at."""
    reads = [source(tmp_path / f"{number}.jpg", shot(number)) for number in range(3)]
    stop = threading.Event()
    stop.set()
    with pytest.raises(Stopped):
        Lookout(ledger, library.root, stop).standings(reads, {})
    assert Lookout(ledger, library.root, threading.Event()).standings(reads, {}) == {}
    seen: list[tuple[int, int]] = []
    look = Lookout(ledger, library.root, threading.Event(), lambda done, total: seen.append((done, total)))
    look.standings([*reads[:2], source(tmp_path / "2.jpg", shot(7))], {})
    assert (0, 1) in seen
    ledger.contents.forget_sources()
    assert ledger.contents.of_paths([reads[0].file.path]) == {}


def test_clips_and_sounds_are_compared_by_frames_and_course(
    library: Library, ledger: Ledger, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """With the library and within an intake; only what has the length of another one is decoded at all."""
    take, other = clips.Take("bridge", WHEN, 2, "Hovar", "4K"), clips.Take("steam", WHEN, 1, "Hovar", "4K")
    long = sound.take(WHEN, 6, 3, scene="Yard", number=1)
    put(library, "a.mov", clips.clip(take, 5, (160, 90)))
    put(library, "a.wav", long)
    learnt(library, ledger)
    looked: list[str] = []
    monkeypatch.setattr(
        beyond_bytes, "content_of", lambda path, *a: looked.append(path) or learning.content_of(path, *a)
    )
    reads = [
        source(tmp_path / "big.mov", clips.clip(take, 5, (320, 180))),
        source(tmp_path / "new.mov", clips.clip(take, 9, (320, 180))),
        source(tmp_path / "apart.mov", clips.clip(other, 3, (320, 180))),
        source(tmp_path / "small.mp3", _small_sound(long)),
        source(tmp_path / "other.wav", sound.take(WHEN, 6, 4, scene="Yard", number=2)),
        source(tmp_path / "second.wav", sound.take(WHEN, 9, 5, scene="Yard", number=3)),
        source(tmp_path / "again.mp3", _small_sound(sound.take(WHEN, 9, 5, scene="Yard", number=3))),
    ]
    assert stand(library, ledger, *reads) == {
        "big.mov": Comparison(Standing.REENCODED, "a.mov"),
        "small.mp3": Comparison(Standing.REENCODED, "a.wav"),
        "again.mp3": Comparison(Standing.REENCODED, "second.wav"),
    }
    assert "apart.mov" not in map(os.path.basename, looked)
    asked = find([one.file for one in reads[-2:]], library, ledger, stop=threading.Event())
    assert [one.standing for one in asked] == [Standing.NEW, Standing.NEW]
    ledger.put_proofs([
        ProofMark("", "a.mov", 1, 1, b"0" * 16, "2026-05-18T08:00:00+00:00", State.ROTTED)
    ])  # fmt: skip
    assert find([reads[0].file], library, ledger, stop=threading.Event())[0].standing is Standing.NEW


def test_do_i_have_this(library: Library, ledger: Ledger, tmp_path: Path) -> None:
    """Every place where the bytes are is told; files that are asked about are not each other's doubles."""
    data = shot(0)
    for name in ("a.jpg", "sub/b.jpg"):
        put(library, name, data)
    other = bytearray(shot(1))
    put(library, "x.jpg", bytes(other))
    learnt(library, ledger)
    files = [source(tmp_path / name, data).file for name in ("1.jpg", "2.jpg")]
    files += [source(tmp_path / f"{number}.jpg", shot(5, quality=number)).file for number in (70, 80)]
    files.append(source(tmp_path / "3.jpg", worded(shot(1), ["yard"], "")).file)
    assert find(files, library, ledger, stop=threading.Event()) == [
        Answer(files[0].path, Standing.HOME, ("a.jpg", "sub/b.jpg")),
        Answer(files[1].path, Standing.HOME, ("a.jpg", "sub/b.jpg")),
        Answer(files[2].path, Standing.NEW, ()),
        Answer(files[3].path, Standing.NEW, ()),
        Answer(files[4].path, Standing.RETAGGED, ("x.jpg",)),
    ]


def test_learning_stops_goes_on_and_is_cheap_to_repeat(
    library: Library, ledger: Ledger
) -> None:  # fmt: skip
    """Only what is new or changed is read; a renamed file is known by its content, with all that was learnt."""
    for number in range(10):
        put(library, f"{number}.jpg", shot(number))
    survey(library, ledger)
    lesson, stop = Lesson(library, ledger, at_once=4), threading.Event()
    lesson.go_on(stop)
    assert (lesson.done, lesson.total, lesson.left, lesson.files, lesson.knows_content) == (4, 20, 16, 4, False)
    stop.set()
    with pytest.raises(Stopped):
        lesson.go_on(stop)
    lesson.close()
    assert len(ledger.contents.of_library()) == len(ledger.contents.unseen()) == 4
    lesson = Lesson(library, ledger, at_once=4)
    while not lesson.knows_content:
        lesson.go_on(threading.Event())
    assert (lesson.done, lesson.left, len(ledger.contents.unseen())) == (6, 10, 10)
    lesson.go_on(threading.Event())
    assert (lesson.done, lesson.total, lesson.left) == (10, 16, 6)
    assert learn(library, ledger, stop=threading.Event()) == 10
    assert learnt(library, ledger) == 0
    put(library, "3.jpg", shot(11), 1_700_000_050)
    Path(library.root, "5.jpg").rename(Path(library.root, "renamed.jpg"))
    found = survey(library, ledger)
    assert (found.new, found.changed, found.gone, found.moved) == (0, 1, 0, 1)
    assert learn(library, ledger, stop=threading.Event()) == 1
    home = ledger.of_paths(["renamed.jpg", "3.jpg"])
    assert home["renamed.jpg"].quick is not None
    assert home["3.jpg"].full is None


def test_what_is_learnt_of_a_file(library: Library, ledger: Ledger) -> None:
    """Its size the right way up, when it was shot, by what, and how much is said of it; damage is known as nothing."""
    put(library, "a.jpg", worded(shot(0), ["bridge", "survey"], "Velmora Line Trust"))
    put(library, "broken.jpg", b"\xff\xd8\xff\xe0 no picture")
    put(library, "notes.txt", b"notes")
    learnt(library, ledger)
    found = {one.path: one for one in ledger.contents.of_library()}
    one = found["a.jpg"]
    assert (one.kind, one.format, one.width, one.height) == ("still", "jpeg", 300, 200)
    assert (one.taken, one.device, one.worded) == ("2026-05-14T10:26:13.42+02:00", "Arlen M2 A2-1", 2)
    assert len(one.looks) == 64
    assert (found["broken.jpg"].looks, found["broken.jpg"].payload) == (b"", 0)
    assert found["notes.txt"].kind == "other"
