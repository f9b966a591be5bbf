"""What is written beside captures: nothing that was said is lost, and a kill leaves the old version or the new one."""

from __future__ import annotations

import os
import random
from contextlib import suppress
from pathlib import Path

import pytest
import xxhash
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree

from jutrek.desk.places import Places
from jutrek.desk.taking_back import take_back
from jutrek.errors import JutrekError, Stopped
from jutrek.formats import TAKEN_OFF, read
from jutrek.library import LIBRARY, Library, survey
from jutrek.library.ledger import Ledger
from jutrek.transfer import Listener, recover, sidecar_runs
from jutrek.transfer.journal import Journal, Kind
from jutrek.transfer.ledger_follows import restore
from jutrek.transfer.run_log import known_of_files, run_log_of, runs
from jutrek.transfer.sidecar_runs import ToSay, Written, write_sidecars
from jutrek.transfer.sidecars import with_label
from jutrek.transfer.taking_back import taken_back_by
from tests.killing import killed_in, killing_at
from tests.making import WHEN, jpeg, never, put

SAID = (
    b'<?xpacket begin="" id="W5M0"?><x:xmpmeta xmlns:x="adobe:ns:meta/">'
    b'<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about=""'
    b' xmlns:a="http://ns.adobe.com/xap/1.0/" xmlns:z="urn:of-nobody" a:Rating="4" z:odd="&lt;"> <a:Label>P</a:Label>'
    b'<z:deep rdf:parseType="Resource"><z:in>1</z:in><!-- kept --></z:deep></rdf:Description>'
    b'<rdf:Description rdf:about="" xmlns:b="http://ns.adobe.com/xap/1.0/" b:Label="R"/></rdf:RDF></x:xmpmeta>'
)


@pytest.fixture
def home(library: Library, ledger: Ledger) -> Library:
    """Six captures, of which every other one has a sidecar that another program wrote."""
    for number in range(6):
        put(Path(library.root) / f"2026/P{number}.jpg", jpeg(seed=number), WHEN)
        if number % 2:
            put(Path(library.root) / f"2026/P{number}.xmp", SAID, WHEN)
    survey(library, ledger)
    return library


def go(home: Library, ledger: Ledger, label: str, *numbers: int, listener: Listener | None = None) -> Written:
    wanted = [ToSay(f"2026/P{number}.xmp", lambda old: with_label(old, label)) for number in numbers or range(6)]
    return write_sidecars(wanted, f"marked {label}", home, ledger, stop=never(), listener=listener)


def back(home: Library, ledger: Ledger, run: str, listener: Listener | None = None) -> list[str]:
    return take_back(home, ledger, run, Places(), stop=never(), listener=listener or Listener())[1]


def sidecars(home: Library) -> dict[str, bytes]:
    return {one.name: one.read_bytes() for one in sorted((Path(home.root) / "2026").glob("*")) if one.suffix != ".jpg"}


def label_of(data: bytes, tmp: Path) -> str:
    (tmp / "said.xmp").write_bytes(data)
    said = read(str(tmp / "said.xmp")).wording
    return said.label if said is not None else ""


def check(home: Library) -> None:
    """What another program said is said still, nothing is left lying, and all that is told of files is true."""
    for name, data in sidecars(home).items():
        assert name.startswith("P"), name
        if int(name[1]) % 2:
            assert b'z:odd="&lt;"' in data and b"<z:in>1</z:in><!-- kept -->" in data and b'a:Rating="4"' in data
    with Ledger(home.ledger_path) as ledger:
        told = [*ledger.marks(LIBRARY).values(), *(one for one in known_of_files(home).proofs if not one.place)]
        for mark in told:
            path = Path(home.root) / mark.path
            if mark.stands and path.exists():
                assert mark.full == xxhash.xxh3_128_digest(path.read_bytes()), mark.path
        found = survey(home, ledger)
        assert (found.moved, found.changed, found.gone, found.new) == (0, 0, 0, 0)


def test_marks_are_written_beside_and_everything_taken_back_in_turn(
    home: Library, ledger: Ledger, tmp_path: Path
) -> None:
    before = sidecars(home)
    first = go(home, ledger, "R")
    assert (len(first.sidecars), first.left, first.why) == (6, [], "")
    marked = sidecars(home)
    assert {label_of(data, tmp_path) for data in marked.values()} == {"R"}
    assert go(home, ledger, "R").run == ""
    second = go(home, ledger, "", 1, 2)
    assert label_of(sidecars(home)["P1.xmp"], tmp_path) == TAKEN_OFF
    check(home)
    # The older one first: what was written anew since stays, and is told.
    assert len(back(home, ledger, first.run)) == 2
    assert back(home, ledger, second.run) == []
    assert {label_of(sidecars(home)[name], tmp_path) for name in ("P1.xmp", "P2.xmp")} == {"R"}
    again = go(home, ledger, "R")
    assert sorted(again.sidecars) == ["2026/P0.xmp", "2026/P3.xmp", "2026/P4.xmp", "2026/P5.xmp"]
    check(home)
    for run in (again.run, first.run):
        back(home, ledger, run)
    assert sidecars(home) == before
    check(home)


def test_what_another_program_changes_meanwhile_stays_as_it_left_it(home: Library, ledger: Ledger) -> None:
    theirs = with_label(SAID, "theirs")

    def meddle(step: str, row: object) -> None:
        path = Path(home.root) / "2026/P1.xmp"
        if step == "begin" and "P1" in str(row):
            path.write_bytes(theirs)
        if step == "put away" and "P3" in str(row):
            put(Path(home.root) / "2026/P3.xmp", theirs, WHEN)

    written = go(home, ledger, "R", listener=Listener(step=meddle))
    assert len(written.sidecars) == 4
    assert [why.rpartition(": ")[2] for why in written.left] == [
        "it was changed meanwhile.",
        "another program wrote it meanwhile.",
    ]
    assert {sidecars(home)[name] for name in ("P1.xmp", "P3.xmp")} == {theirs}
    # What was put away for the other one is kept.
    assert [one.read_bytes() for one in (Path(home.root) / ".jutrek/replaced").rglob("P3.xmp")] == [SAID]


def test_what_is_no_packet_or_no_file_is_left_as_it_is(home: Library, ledger: Ledger) -> None:
    (Path(home.root) / "2026/P1.xmp").write_bytes(b"<odd/>")
    (Path(home.root) / "2026/P3.xmp").write_bytes(b"<!DOCTYPE x>" + SAID)
    (Path(home.root) / "2026/P5.xmp").unlink()
    (Path(home.root) / "2026/P5.xmp").symlink_to("/etc/hostname")
    written = go(home, ledger, "R")
    assert (len(written.sidecars), len(written.left)) == (3, 3)
    assert (Path(home.root) / "2026/P1.xmp").read_bytes() == b"<odd/>"
    assert os.readlink(Path(home.root) / "2026/P5.xmp") == "/etc/hostname"


def test_what_does_not_read_back_as_it_was_written_is_taken_away_again(
    home: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = sidecars(home)
    monkeypatch.setattr(sidecar_runs, "read_back", lambda *_: (bytes(16), True))
    written = go(home, ledger, "R")
    assert (written.sidecars, len(written.left)) == ([], 6)
    assert "did not read back" in written.why
    assert sidecars(home) == before


def test_a_crafted_journal_moves_nothing_of_others(home: Library, ledger: Ledger) -> None:
    """Neither out of the tray to a sidecar's name, nor a picture out of the library as a sidecar that was written."""
    root = Path(home.root)
    theirs = [".jutrek/tray/t/secret.xmp", ".jutrek/replaced/t/2026/P5.xmp"]
    for path in theirs:
        put(root / path, b"put away")
    picture = (root / "2026/P0.jpg").stat()
    journal = Journal.begin(home, Kind.DESCRIBE, {"act": "marked R"})
    run = journal.run
    stamp = {"size": picture.st_size, "mtime_ns": picture.st_mtime_ns}
    for number, to in enumerate(("2026/P0.xmp", "2026/P2.xmp", "2026/P4.xmp")):
        journal.note({"entry": "to say", "row": number, "to": to, "size": 9, "xxh3_128": "0" * 32})
    for number, path in zip((0, 2), theirs, strict=True):
        journal.note({"entry": "sidecar kept", "row": number, "from": f"2026/P{2 * number}.xmp", "to": path, **stamp})
    journal.note({"entry": "sidecar", "row": 1, "to": "2026/P0.jpg", **stamp})
    journal.close()
    recover(home, ledger)
    assert all((root / path).exists() for path in theirs)
    assert any("another sidecar" in why for why in run_log_of(home, run).troubles)
    back(home, ledger, run)
    assert (root / "2026/P0.jpg").exists()


def test_what_moves_below_the_librarys_own_folder_is_no_part_of_it(home: Library, ledger: Ledger) -> None:
    put(Path(home.root) / ".jutrek/taken-back/r/2026/P1.xmp", SAID)
    before = ledger.all_files()
    restore(home, ledger, [(".jutrek/replaced/t/2026/P1.xmp", ".jutrek/taken-back/r/2026/P1.xmp")])
    assert ledger.all_files() == before


@pytest.mark.parametrize("step", ["begin", "put away", "written"])
@pytest.mark.parametrize("count", [1, 2, 3])
def test_a_kill_leaves_the_old_version_or_the_new_one(home: Library, step: str, count: int, tmp_path: Path) -> None:
    before = sidecars(home)

    def job() -> None:
        with Ledger(home.ledger_path) as own:
            go(home, own, "R", listener=Listener(step=killing_at(step, count)))

    killed_in(job)
    with Ledger(home.ledger_path) as again:
        leftover = recover(home, again)[0]
        assert (leftover.did, leftover.home + leftover.left) == ("written", 6)
        after = sidecars(home)
        new = {name for name, data in after.items() if data != before.get(name)}
        # Several are written at a time: those that were under way may be there, too.
        assert len(new) == leftover.home
        assert count <= len(new) <= 6 if step == "written" else not new
        assert before.keys() <= after.keys()
        assert all(label_of(after[name], tmp_path) == "R" for name in new)
        check(home)
        # What came of it can be taken back as of a run that ended.
        assert back(home, again, leftover.run) == []
        assert sidecars(home) == before


@pytest.mark.long
@pytest.mark.parametrize("seed", range(6))
def test_walks_with_kills(home: Library, seed: int) -> None:
    """Marks, taking back and moving, cut off at random."""
    chance = random.Random(seed)
    start = sidecars(home)

    def act(own: Ledger, listener: Listener) -> None:
        kind = chance.choice(("mark", "mark", "back"))
        if kind == "mark":
            numbers = chance.sample(range(6), chance.randint(1, 6))
            go(home, own, chance.choice("RPQ") * chance.randint(0, 1), *numbers, listener=listener)
            return
        undone = taken_back_by(home)
        open_runs = [run for run in runs(home) if run not in undone]
        if open_runs:
            with suppress(JutrekError):
                back(home, own, chance.choice(open_runs), listener)

    for _ in range(12):
        state = chance.getstate()
        step = chance.choice(("begin", "put away", "written", "renamed", "never"))

        def job(step: str = step) -> None:
            with Ledger(home.ledger_path) as own:
                act(own, Listener(step=killing_at(step, chance.randint(1, 4))))
            os.kill(os.getpid(), 9)

        killed_in(job)
        chance.setstate(state)
        chance.random()
        with Ledger(home.ledger_path) as own:
            recover(home, own)
        check(home)
        assert start.keys() <= sidecars(home).keys() | put_away(home)


def put_away(home: Library) -> set[str]:
    """Names of what was put away."""
    own = Path(home.root) / ".jutrek"
    return {one.name for folder in ("replaced", "taken-back") for one in (own / folder).rglob("*.xmp")}


def test_a_stop_ends_between_two_batches(home: Library, ledger: Ledger) -> None:
    stop = never()
    stop.set()
    wanted = [ToSay("2026/P0.xmp", lambda old: with_label(old, "R"))]
    written = write_sidecars(wanted, "marked R", home, ledger, stop=stop)
    assert isinstance(written.trouble, Stopped)
    assert "P0.xmp" not in sidecars(home)


_TEXTS = st.text(st.characters(codec="utf-8", exclude_categories=("Cc", "Cs", "Cn")), max_size=12)


@given(st.lists(st.tuples(st.sampled_from("abc"), _TEXTS), max_size=6), _TEXTS)
def test_all_else_that_a_packet_says_is_kept(said: list[tuple[str, str]], label: str) -> None:
    """Of random packets: elements, attributes and texts of nobody's namespaces, in their order."""
    meta = etree.fromstring(SAID)
    about = next(meta.iter("{http://www.w3.org/1999/02/22-rdf-syntax-ns#}Description"))
    for name, text in said:
        etree.SubElement(about, f"{{urn:{name}}}x", {f"{{urn:{name}}}y": text}).text = text
    old = etree.tostring(meta)
    new = with_label(old, label)
    assert _without_label(etree.fromstring(new)) == _without_label(meta)
    labels = [value for one in etree.fromstring(new).iter() for name, value in one.items() if "Label" in name]
    assert labels == ["".join(sign if sign.isprintable() else "?" for sign in label)]
    assert with_label(new, label) == new


def _without_label(root: etree._Element) -> list[tuple[str, str, list[tuple[str, str]]]]:
    found = []
    for one in root.iter():
        if "Label" not in str(one.tag):
            said = sorted((str(name), str(value)) for name, value in one.items() if "Label" not in str(name))
            found.append((str(one.tag), (one.text or "").strip(), said))
    return found


def test_what_can_not_be_read_back_leaves_the_old_version(
    home: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = sidecars(home)

    def failing(*_: object) -> None:
        raise OSError(5, "Input/output error")

    monkeypatch.setattr(sidecar_runs, "read_back", failing)
    assert go(home, ledger, "R").sidecars == []
    assert sidecars(home) == before
