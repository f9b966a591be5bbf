"""Turning in place: back to the same bytes, home still for what was turned, and whole or not at all after a kill."""

from __future__ import annotations

import io
import os
from pathlib import Path

import numpy as np
import pytest
import xxhash
from PIL import Image

from jutrek.desk.places import places_of
from jutrek.desk.sidecars import follow
from jutrek.desk.taking_back import take_back
from jutrek.desk.turning import TurnedCaptures, turn_captures
from jutrek.doubles import Standing, compare
from jutrek.filing import HouseRules, Undated
from jutrek.formats import read
from jutrek.formats.splices import Splice
from jutrek.library import HomeFile, Library, Place, as_place, survey
from jutrek.library.ledger import Ledger
from jutrek.sources import known_source, scan
from jutrek.sources.scan import SourceFile
from jutrek.transfer import Listener, amending, bring, recover
from jutrek.transfer.amending import ToAmend, amend_files
from jutrek.transfer.catching_up import lacking
from jutrek.transfer.checking import check
from jutrek.transfer.clearing import Way as Clearing
from jutrek.transfer.clearing import clear
from jutrek.transfer.journal import Journal, Kind
from jutrek.transfer.lock import locked
from jutrek.transfer.release import release
from jutrek.transfer.run_log import head_of, run_log_of, runs
from jutrek.turning.patching import splices_of
from jutrek.turning.ways import Way
from tests.cli.test_captioning import columns_of
from tests.killing import die, dying_before, killed_in
from tests.making import WHEN, names_below, never, planned, put
from tests.turning.test_patching import PICTURE, clip, displayed, picture


@pytest.fixture
def home(library: Library, ledger: Ledger, card: Path, tarn: Place) -> Library:
    """A card that is home in two places: pictures that say which way is up, and a clip."""
    for number, kind in enumerate(("JPEG", "PNG", "WEBP", "TIFF")):
        put(card / f"DCIM/P{number}.{kind}", picture(kind, (1, 6, 8, 3)[number]), WHEN.replace(hour=9 + number))
    put(card / "DCIM/C4.MP4", clip(), WHEN.replace(hour=15))
    rules = HouseRules(undated=Undated.UNFILED)
    bring(planned(library, ledger, [card], rules), library, ledger, stop=never(), places=[tarn])
    return library


def files(home: Library) -> dict[str, tuple[bytes, int]]:
    """What lies at home, and when it was changed."""
    names = [one for one in names_below(home.root) if not one.startswith((".jutrek", "ascmhl"))]
    return {one: (Path(home.root, one).read_bytes(), os.stat(Path(home.root, one)).st_mtime_ns) for one in names}


def turn(home: Library, ledger: Ledger, way: Way, *, follows: bool = True) -> TurnedCaptures:
    columns = columns_of(home, ledger)
    done = turn_captures(columns, range(columns.count), way, home, ledger, stop=never())
    if follows:
        assert follow(done.files, home, ledger, places_of(home), stop=never()) == ""
    return done


def back(home: Library, ledger: Ledger, run: str) -> list[str]:
    return take_back(home, ledger, run, places_of(home), stop=never(), listener=Listener())[1]


def at_home(home: Library, ledger: Ledger, card: Path) -> set[str]:
    """The files of a card that count as home."""
    survey(home, ledger)
    found = [one for one in scan(str(card)) if isinstance(one, SourceFile)]
    stands = compare(found, ledger, home.root)
    return {os.path.basename(path) for path, one in stands.items() if one.standing is Standing.HOME}


def test_turned_and_turned_back_to_the_same_bytes(home: Library, ledger: Ledger, card: Path, tarn: Place) -> None:
    """In any order; what the card holds is home all along; backups and hash lists follow."""
    before = files(home)
    told = {one: read(os.path.join(home.root, one)).orientation for one in before}
    made = [turn(home, ledger, way).run for way in (Way.LEFT, Way.HALF, Way.UPRIGHT)]
    assert len(files(home).keys() & before.keys()) == 5
    assert all(read(os.path.join(home.root, one)).orientation == 1 for one in before)
    assert files(home).keys() == before.keys() == {one for one in names_below(tarn.root) if one in before}
    assert {one: Path(tarn.root, one).read_bytes() for one in before} == {one: files(home)[one][0] for one in before}
    assert not lacking(home, ledger, tarn).rows
    for place in (as_place(home), tarn):
        assert not check(home, ledger, place, stop=never()).found
    assert len(at_home(home, ledger, card)) == 5
    for run in reversed(made):
        assert back(home, ledger, run) == []
    assert files(home) == before
    assert ledger.amended.standing() == []
    # The taking back of a taking back turns them once more.
    again = next(run for run in runs(home) if head_of(home, run).get("takes_back") == made[0])
    assert back(home, ledger, again) == []
    assert {one: read(os.path.join(home.root, one)).orientation for one in before} != told
    assert len(at_home(home, ledger, card)) == 5


def test_a_card_is_proven_and_cleared_though_its_pictures_were_turned(
    home: Library, ledger: Ledger, card: Path, tarn: Place
) -> None:
    turn(home, ledger, Way.RIGHT)
    certificate = release(known_source(str(card)), home, ledger, [tarn], again=False, stop=never())
    assert certificate.safe, [one.why for one in certificate.files]
    # Other bytes put back than those that were replaced prove nothing, and so does what was turned since it changed.
    genuine = ledger.amended.standing()
    assert len(genuine) == 5
    ledger.amended.put([one._replace(splices=(Splice(0, b"x", b"y"),)) for one in genuine])
    assert not release(known_source(str(card)), home, ledger, [tarn], again=True, stop=never()).safe
    ledger.amended.put(genuine)
    assert release(known_source(str(card)), home, ledger, [tarn], again=True, stop=never()).safe
    other, *_ = files(home)
    ledger.put([HomeFile(other, len(files(home)[other][0]), files(home)[other][1], None, bytes(16))])
    assert {one.path for one in ledger.amended.standing()} == {one.path for one in genuine} - {other}
    marks = [one._replace(full=bytes(16)) for path, one in ledger.proofs("").items() if path == other]
    ledger.put_proofs(marks)
    cleared = clear(certificate, home, ledger, [tarn], way=Clearing.REMOVE, stop=never())
    assert (cleared.gone, len(cleared.stayed), len(marks)) == (4, 1, 1)


def test_a_lost_ledger_learns_what_was_turned_and_moved(home: Library, ledger: Ledger, card: Path) -> None:
    turn(home, ledger, Way.LEFT)
    known = {one.path: one for one in ledger.amended.standing()}
    assert len(known) == 5
    old, new = next(iter(known)), "2026/elsewhere.bin"
    ledger.move([(old, new)])
    assert {one.path for one in ledger.amended.standing()} == {new, *known} - {old}
    with Ledger(f"{ledger.path}.new") as other:
        other.is_new = True
        recover(home, other)
        assert {one.path: one for one in other.amended.standing()} == known
        assert len(at_home(home, other, card)) == 5


def dying_at(where: str, cut: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """Let the process die before the bytes of a number are written, or before a file is read back."""
    module, name = (os, "pwrite") if where == "write" else (amending, "read_back")
    dying_before(module, name, cut, monkeypatch)


@pytest.mark.parametrize(("where", "cut"), [*(("write", cut) for cut in range(1, 8)), ("read", 1), ("read", 3)])
def test_a_kill_leaves_each_file_whole_as_it_was_or_turned(
    where: str, cut: int, home: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch
) -> None:
    """At every write of bytes: also between a value and its checksum; and before it was told that they are written."""
    before = files(home)
    columns = columns_of(home, ledger)

    def go() -> None:
        dying_at(where, cut, monkeypatch)
        turn_captures(columns, range(columns.count), Way.LEFT, home, ledger, stop=never())
        die()

    killed_in(go)
    recover(home, ledger)
    whole = {one: data for one, (data, _) in files(home).items()}
    run_log = run_log_of(home, runs(home)[-1])
    done = {str(run_log.to_say[row]["to"]) for row in run_log.sidecars}
    assert {one for one, data in whole.items() if data != before[one][0]} == done
    assert where == "write" or len(done) == cut, "it was turned, though not told"
    assert {one: both for one, both in files(home).items() if one not in done} == {
        one: both for one, both in before.items() if one not in done
    }
    assert {one.path for one in ledger.amended.standing()} == done
    assert all(not read(os.path.join(home.root, one)).notes for one in whole)
    assert back(home, ledger, run_log.run) == []
    assert files(home) == before


def test_after_a_kill_nothing_is_put_back_into_what_another_program_changed(
    home: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch
) -> None:
    columns = columns_of(home, ledger)
    picture_ = next(one for one in files(home) if one.endswith(".png"))
    row = columns.row_of(picture_)

    def go() -> None:
        dying_at("write", 2, monkeypatch)
        turn_captures(columns, [row], Way.LEFT, home, ledger, stop=never())

    killed_in(go)
    path = Path(home.root, picture_)
    path.write_bytes(path.read_bytes()[:-1] + b"!")
    before = files(home)
    recover(home, ledger)
    assert files(home) == before


def test_a_journal_that_wants_other_bytes_in_the_picture_itself_is_not_followed(home: Library, ledger: Ledger) -> None:
    path = next(one for one in files(home) if one.endswith(".jpeg"))
    before = files(home)
    data, at = before[path][0], read(os.path.join(home.root, path)).payload[0].offset + 40
    for more, offset, new in ((b"", at, b"x"), (b"!", 0, b"x"), (b"", 2, b"xyz"), (b"", 2, b"")):
        # Of the second one the size contradicts, too; the others would move what stands behind them.
        old, wanted = data[offset : offset + 1], b"y" if data[offset : offset + 1] == new else new
        was = data[:offset] + wanted + data[offset + 1 :] + more
        with locked(home):
            journal = Journal.begin(home, Kind.DESCRIBE, {"act": "turned"})
            journal.note({
                "entry": "to say", "row": 0, "to": path, "size": len(data) + len(more), "xxh3_128": bytes(16).hex(),
                "was": xxhash.xxh3_128_digest(was).hex(), "mtime_ns": 0, "at": [[offset, wanted.hex(), old.hex()]],
            })  # fmt: skip
            journal.close()
        recover(home, ledger)
        assert files(home) == before


def test_what_changes_while_others_are_looked_at_stays(home: Library, ledger: Ledger) -> None:
    """And what does not read back as it was written is as before."""
    first, second, *_ = sorted(files(home))

    def how(whole: str) -> list[Splice]:
        if whole.endswith(second):
            changed = Path(home.root, first)
            changed.write_bytes(changed.read_bytes()[:-1] + b"!")
        return splices_of(whole, read(whole), Way.LEFT)

    wanted = [ToAmend(one, how) for one in (first, second)]
    done = amend_files(wanted, "turned", home, ledger, stop=never())
    assert (done.files, done.left) == ([second], [f"{first} stays as it was: It was changed meanwhile."])
    assert files(home)[first][0].endswith(b"!")


def test_what_does_not_read_back_as_written_is_put_back(
    home: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = files(home)
    monkeypatch.setattr(amending, "read_back", lambda *_: (bytes(16), True))
    assert turn(home, ledger, Way.LEFT).captures == 0
    assert files(home) == before


@pytest.mark.parametrize("way", [Way.LEFT, Way.RIGHT, Way.HALF])
def test_what_says_nothing_of_it_yet_says_it_then(
    way: Way, library: Library, ledger: Ledger, card: Path, tarn: Place
) -> None:
    """Where it has room; others show it turned; and it is taken back to the same bytes."""
    bare = {kind: _bare(kind) for kind in ("JPEG", "PNG", "GIF")}
    for number, (kind, data) in enumerate(bare.items()):
        put(card / f"DCIM/P{number}.{kind}", data, WHEN.replace(hour=9 + number))
    exif, out = Image.Exif(), io.BytesIO()
    exif[0x010F] = "Arlen"
    PICTURE.save(out, "JPEG", exif=exif)
    put(card / "DCIM/P8.JPG", out.getvalue(), WHEN.replace(hour=15))
    put(card / "DCIM/P9.JPG", _bare("JPEG")[:-2] + b"\xff\xd9behind", WHEN.replace(hour=16))
    bring(planned(library, ledger, [card], HouseRules(undated=Undated.UNFILED)), library, ledger, stop=never())
    before = files(library)
    done = turn(library, ledger, way)
    assert (done.captures, len(done.left)) == (2, 3)
    assert sorted(one.rpartition(".")[2] for one in done.files) == ["jpeg", "png"]
    quarters = {Way.LEFT: 1, Way.HALF: 2, Way.RIGHT: 3}[way]
    for path in done.files:
        was = np.asarray(Image.open(io.BytesIO(before[path][0])).convert("RGB"))
        assert np.array_equal(displayed(Path(library.root, path)), np.rot90(was, quarters))
    assert len(at_home(library, ledger, card)) == 5
    again = turn(library, ledger, Way.UPRIGHT)
    assert (again.captures, again.left) == (2, ())
    assert back(library, ledger, again.run) == []
    assert back(library, ledger, done.run) == []
    assert files(library) == before


def _bare(kind: str) -> bytes:
    out = io.BytesIO()
    PICTURE.save(out, kind)
    return out.getvalue()


def test_what_stands_beside_and_says_it_too_is_told_the_same(home: Library, ledger: Ledger) -> None:
    """Be it as an attribute or an element; what says nothing of it stays; all is taken back in one act."""
    paths = sorted(one for one in files(home) if not one.endswith(".mp4"))
    said = (
        b'<rdf:Description rdf:about="" xmlns:t="http://ns.adobe.com/tiff/1.0/" t:Orientation="1"/>',
        b'<rdf:Description xmlns:t="http://ns.adobe.com/tiff/1.0/"><t:Orientation>6</t:Orientation></rdf:Description>',
        b'<rdf:Description rdf:about="" xmlns:t="http://ns.adobe.com/tiff/1.0/" t:Make="Arlen"/>',
        b'<rdf:Description rdf:about="" xmlns:t="http://ns.adobe.com/tiff/1.0/" t:Orientation="9"/>',
    )
    for path, one in zip(paths, said, strict=True):
        data = b'<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
        put(Path(home.root, f"{path.rpartition('.')[0]}.xmp"), data + one + b"</rdf:RDF></x:xmpmeta>")
    # What can't be turned is not said to be.
    put(Path(home.root, "2026/P5.gif"), _bare("GIF"))
    put(Path(home.root, "2026/P5.xmp"), data + said[0] + b"</rdf:RDF></x:xmpmeta>")
    survey(home, ledger)
    before = files(home)
    done = turn(home, ledger, Way.RIGHT)
    assert (done.captures, len(done.left)) == (5, 1)
    assert files(home)["2026/P5.xmp"] == before["2026/P5.xmp"]
    beside = [files(home)[f"{path.rpartition('.')[0]}.xmp"][0] for path in paths]
    assert b't:Orientation="6"' in beside[0]
    assert b"<t:Orientation>3</t:Orientation>" in beside[1]
    assert [before[f"{path.rpartition('.')[0]}.xmp"][0] for path in paths[2:]] == beside[2:]
    assert back(home, ledger, done.run) == []
    assert {one: data for one, (data, _) in files(home).items()} == {one: data for one, (data, _) in before.items()}


def test_what_cannot_be_turned_stays_and_is_told(home: Library, ledger: Ledger, tmp_path: Path) -> None:
    """A second name on the disk, another program's change, nothing to be changed, no orientation at all."""
    first, second, *_ = sorted(files(home))
    os.link(Path(home.root, first), tmp_path / "second name")
    before = files(home)
    done = turn(home, ledger, Way.LEFT)
    assert (done.captures, len(done.left)) == (4, 1)
    assert "another name on the disk" in done.why
    assert files(home)[first] == before[first]
    os.unlink(tmp_path / "second name")
    path = Path(home.root, second)
    path.write_bytes(path.read_bytes() + b"theirs")
    survey(home, ledger)
    assert [one for one in back(home, ledger, done.run) if "changed since" in one] == [
        f"{second} stays as it is: It was changed since."
    ]
    assert path.read_bytes().endswith(b"theirs")
