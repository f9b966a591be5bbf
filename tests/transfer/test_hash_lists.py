"""Hash lists that other programs can read, and the report that people can."""

from __future__ import annotations

import csv
import hashlib
import io
import re
import shutil
import subprocess
import time
from contextlib import suppress
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import pytest
from lxml import etree

from jutrek.desk.report import report_of, write_report
from jutrek.disk import Tree
from jutrek.doubles.degrees import Degree
from jutrek.filing import Action, HouseRules, Row
from jutrek.filing.rulebook import keep_rules
from jutrek.library import Library, Place, as_place, survey
from jutrek.library.ledger import Ledger
from jutrek.transfer import Listener, bring, last_refiling, plan_taking_back, recover, refile
from jutrek.transfer.catching_up import catch_up, lacking
from jutrek.transfer.checking import check, mend
from jutrek.transfer.following_lists import history_of, lists_follow
from jutrek.transfer.hash_lists import (
    CHAINS,
    LISTS,
    Listed,
    c4_of,
    path_of_pattern,
    pattern_of,
    patterns_in,
    write_hash_lists,
    write_list,
)  # fmt: skip
from jutrek.transfer.run_log import RunLog, run_log_of
from jutrek.transfer.setting_aside import set_aside
from tests import making
from tests.making import WHEN, never, planned, put
from tests.transfer.doubled import drop
from tests.transfer.test_bring import Fault, fill
from tests.transfer.test_refiling import plan_of

SCHEMAS = Path(__file__).parent / "schemas"


def intake(library: Library, ledger: Ledger, card: Path, *places: Place) -> RunLog:
    plan = planned(library, ledger, [card])
    stays = Row(str(card / "INDEX.BIN"), str(card), Action.STAY, None, "It is no picture, clip or sound.", 4)
    plan = replace(plan, rows=(*plan.rows, stays))
    outcome = bring(plan, library, ledger, stop=never(), places=places, settled=["clock of B: +01:00:00"])
    return run_log_of(library, outcome.run)


def valid(path: Path, schema: str) -> etree._Element:
    page = etree.parse(path)
    etree.XMLSchema(etree.parse(SCHEMAS / schema)).assertValid(page)
    return page.getroot()


def test_every_place_gets_a_list_of_each_intake(library: Library, ledger: Ledger, card: Path, tarn: Place) -> None:
    """Valid by the schema's rules, chained by C4, with every file's true fingerprint; a survey passes them by."""
    fill(card, 2)
    write_hash_lists(intake(library, ledger, card, tarn), library, [tarn])
    put(card / "Steam & <smoke> é.JPG", making.jpeg(WHEN.replace(hour=20)))
    files = ledger.all_files()
    write_hash_lists(intake(library, ledger, card), library, [tarn])
    for root, generations in ((library.root, 2), (tarn.root, 1)):
        chain = valid(Path(root, "ascmhl", "ascmhl_chain.xml"), "chain.xsd")
        entries = chain.findall(f"{{{CHAINS}}}hashlist")
        assert [entry.get("sequencenr") for entry in entries] == [str(n + 1) for n in range(generations)]
        for entry in entries:
            path = Path(root, "ascmhl", entry.findtext(f"{{{CHAINS}}}path"))
            assert entry.findtext(f"{{{CHAINS}}}c4") == c4_of(path.read_bytes())
            for one in valid(path, "hash_list.xsd").iter(f"{{{LISTS}}}hash"):
                there = Path(root, one.findtext(f"{{{LISTS}}}path"))
                assert one[0].get("size") == str(there.stat().st_size)
                dated = datetime.fromisoformat(str(one[0].get("lastmodificationdate"))).timestamp()
                assert dated == int(there.stat().st_mtime)
                assert one[1].text == xxh128(there)
                assert abs(datetime.fromisoformat(str(one[1].get("hashdate"))).timestamp() - time.time()) < 60
    survey(library, ledger)
    assert len(ledger.all_files()) == len(files) + 1
    assert not [path for path in ledger.all_files() if path.startswith("ascmhl")]


def listed(root: str) -> dict[str, str]:
    """What the lists of a root say together: each path with its hash. They are valid, and chained."""
    folder, found = Path(root, "ascmhl"), {}
    chain = valid(folder / "ascmhl_chain.xml", "chain.xsd")
    for entry in chain.findall(f"{{{CHAINS}}}hashlist"):
        page = valid(folder / str(entry.findtext(f"{{{CHAINS}}}path")), "hash_list.xsd")
        entries = list(page.iter(f"{{{LISTS}}}hash"))
        for one in entries:
            found.pop(one.findtext(f"{{{LISTS}}}previousPath"), None)
        found |= {str(one.findtext(f"{{{LISTS}}}path")): str(one.findtext(f"{{{LISTS}}}xxh128")) for one in entries}
        for pattern in page.iter(f"{{{LISTS}}}pattern"):
            found.pop(re.sub(r"\\(.)", r"\1", str(pattern.text))[1:], None)
    return found


def on_disk(root: str) -> dict[str, str]:
    files = {name: Path(root, name) for name in making.names_below(root)}
    return {name: xxh128(path) for name, path in files.items() if not name.startswith((".jutrek", "ascmhl"))}


def test_lists_follow_what_is_moved_set_aside_and_brought_back(
    library: Library, ledger: Ledger, card: Path, tarn: Place
) -> None:
    """After each run the newest lists are true of the disk, in the library and in a place, whatever names are."""
    fill(card, 2)
    put(card / "odd [1] #!.JPG", making.jpeg(WHEN.replace(hour=20)))
    write_hash_lists(intake(library, ledger, card, tarn), library, [tarn])
    rules = HouseRules(layout="{year}", name="{original} [x] #{day}!")
    roots = [library.root, tarn.root]

    def true() -> None:
        for root in roots:
            assert listed(root) == on_disk(root)

    true()
    before = on_disk(library.root)
    assert refile(plan_of(library, ledger, rules), library, ledger, stop=never(), places=[tarn]).remarks == []
    assert on_disk(library.root).keys().isdisjoint(before)
    true()
    put(card / "B.JPG", making.jpeg(WHEN.replace(hour=21)))
    write_hash_lists(intake(library, ledger, card, tarn), library, [tarn])
    true()
    keeper, goes = sorted(ledger.all_files())[:2]
    drops = [drop(library, goes, keeper, Degree.ALIKE)]
    aside = set_aside(drops, library, ledger, stop=never(), places=[tarn])
    assert aside.home == 1
    assert goes not in listed(library.root)
    true()
    plan, _ = plan_taking_back(library, aside.run)
    assert refile(plan, library, ledger, stop=never(), places=[tarn], takes_back=aside.run).home == 1
    assert goes in listed(tarn.root)
    true()
    plan, _ = plan_taking_back(library, last_refiling(library))
    refile(plan, library, ledger, stop=never(), takes_back=last_refiling(library))
    assert listed(library.root) == on_disk(library.root)
    changed = Path(library.root, next(iter(before)))
    changed.write_bytes(b"another version")
    survey(library, ledger)
    shutil.rmtree(Path(tarn.root, "ascmhl"))
    assert catch_up(lacking(library, ledger, tarn), library, ledger, stop=never()).trouble is None
    assert listed(tarn.root) == on_disk(tarn.root)
    lists = len(list(Path(library.root, "ascmhl").iterdir()))
    lists_follow(library, ledger, [tarn])
    assert len(list(Path(library.root, "ascmhl").iterdir())) == lists


def test_lists_follow_a_move_that_was_cut_off(library: Library, ledger: Ledger, card: Path, tarn: Place) -> None:
    """As soon as the next start has cleared up behind it."""
    fill(card, 2)
    write_hash_lists(intake(library, ledger, card, tarn), library, [tarn])

    def cut(step: str, _: object) -> None:
        if step == "written down":
            raise KeyboardInterrupt

    with suppress(KeyboardInterrupt):
        refile(plan_of(library, ledger), library, ledger, stop=never(), listener=Listener(step=cut))
    assert listed(library.root) != on_disk(library.root)
    recover(library, ledger)
    assert listed(library.root) == on_disk(library.root)


def newest(root: str) -> etree._Element:
    return valid(max(Path(root, "ascmhl").glob("*.mhl")), "hash_list.xsd")


def test_lists_tell_where_files_were_before(library: Library, ledger: Ledger, card: Path) -> None:
    """Also of names that were swapped by hand; what was moved is not told as ignored."""
    fill(card, 2)
    write_hash_lists(intake(library, ledger, card), library, [])
    before = on_disk(library.root)
    refile(plan_of(library, ledger, HouseRules(layout="{year}", name="{original}")), library, ledger, stop=never())
    assert {one.text for one in newest(library.root).iter(f"{{{LISTS}}}previousPath")} == before.keys()
    one, two = (Path(library.root, name) for name in sorted(on_disk(library.root))[:2])
    for old, new in ((one, one.with_name("x")), (two, one), (one.with_name("x"), two)):
        old.rename(new)
    survey(library, ledger)
    assert lists_follow(library, ledger) == []
    assert listed(library.root) == on_disk(library.root)
    assert len(list(newest(library.root).iter(f"{{{LISTS}}}previousPath"))) == 2
    assert patterns_in(newest(library.root)) == []


def test_times_that_are_none_stop_no_list(library: Library, ledger: Ledger, card: Path) -> None:
    """A journal may tell anything: nothing is said of when such a file was read."""
    fill(card, 1)
    write_hash_lists(intake(library, ledger, card), library, [])
    marks = list(ledger.proofs("").values())
    ledger.put_proofs([
        marks[0]._replace(path="odd.jpg", at="yesterday"), marks[1]._replace(path="none.jpg", at=""),
    ])  # fmt: skip
    assert lists_follow(library, ledger) == []
    for entry in newest(library.root).iter(f"{{{LISTS}}}hash"):
        assert entry[1].get("hashdate") is None
    assert {"odd.jpg", "none.jpg"} < listed(library.root).keys()


def test_what_is_ignored_is_one_path_until_it_comes_again(tmp_path: Path) -> None:
    """Patterns of ours mean one path, with signs that mean more elsewhere; those of others are kept."""
    odd = "a [1] *#!?.jpg"
    assert pattern_of(odd) == r"/a\ \[1\]\ \*\#\!\?.jpg"
    assert [path_of_pattern(one) for one in (pattern_of(odd), "*.tmp", "/a*", "a.jpg")] == [odd, "", "", ""]
    tree = Tree(str(tmp_path))
    write_list(tree, [Listed("b.jpg", 1, 0, "0" * 32)], "in-place", [pattern_of(odd), "*.tmp"])
    last = write_list(tree, [Listed(odd, 1, 0, "1" * 32)], "transfer")
    assert patterns_in(valid(Path(last), "hash_list.xsd")) == ["*.tmp"]
    assert listed(str(tmp_path)) == {"b.jpg": "0" * 32, odd: "1" * 32}


def test_what_rotted_stays_listed_and_is_verified_once_mended(
    library: Library, ledger: Ledger, card: Path, tarn: Place
) -> None:
    """A list that forgot what is missed would tell nobody; one of another program keeps its say."""
    fill(card, 1)
    write_hash_lists(intake(library, ledger, card, tarn), library, [tarn])
    path = sorted(path for path in ledger.all_files() if path.endswith(".jpg"))[0]
    Path(library.root, path).unlink()
    foreign = Path(library.root, "ascmhl", "0002_x.mhl")
    foreign.write_text(f'<hashlist xmlns="{LISTS}"><processinfo><ignore><pattern>*.tmp</pattern></ignore></processinfo>'
                       f"<hashes><hash><path>a.txt</path><md5>0</md5></hash></hashes></hashlist>")  # fmt: skip
    survey(library, ledger)
    place = as_place(library)
    bad = [one.mark for one in check(library, ledger, place, stop=never()).found]
    other = next(one for one in ledger.all_files() if one != path)
    ledger.drop_proofs("", [other])
    lists_follow(library, ledger, [])
    assert {path, other} <= listed(library.root).keys()
    assert mend(bad, library, ledger, place, [tarn], stop=never()).home == 1
    page = newest(library.root)
    (entry,) = page.iter(f"{{{LISTS}}}hash")
    assert (entry.findtext(f"{{{LISTS}}}path"), entry[1].get("action")) == (path, "verified")
    assert "*.tmp" in [one.text for one in page.iter(f"{{{LISTS}}}pattern")]


def xxh128(path: Path) -> str:
    """By another program where there is one, else by our own."""
    if shutil.which("xxhsum"):
        done = subprocess.run(["xxhsum", "-q", "-H2", path], capture_output=True, check=True)
        return done.stdout.split()[0].lstrip(b"\\").decode()
    import xxhash

    return xxhash.xxh3_128(path.read_bytes()).hexdigest()


def test_a_damaged_chain_is_begun_anew_from_the_lists(library: Library, ledger: Ledger, card: Path) -> None:
    """No list is forgotten."""
    fill(card, 1)
    write_hash_lists(intake(library, ledger, card), library, [])
    chain = Path(library.root, "ascmhl", "ascmhl_chain.xml")
    chain.write_bytes(chain.read_bytes()[:-30])
    put(card / "B.JPG", making.jpeg(WHEN.replace(hour=20)))
    write_hash_lists(intake(library, ledger, card), library, [])
    assert len(valid(chain, "chain.xsd")) == 2


@pytest.mark.parametrize(
    ("data", "expected"),
    [
        (b"", "c459dsjfscH38cYeXXYogktxf4Cd9ibshE3BHUo6a58hBXmRQdZrAkZzsWcbWtDg5oQstpDuni4Hirj75GEmTc1sFT"),
        (b"alfa", "c43zYcLni5LF9rR4Lg4B8h3Jp8SBwjcnyyeh4bc6gTPHndKuKdjUWx1kJPYhZxYt3zV6tQXpDs2shPsPYjgG81wZM1"),
    ],
)
def test_c4_is_what_its_standard_says(data: bytes, expected: str) -> None:
    """Examples of the standard; and the number they stand for is the SHA-512."""
    assert c4_of(data) == expected
    signs = "123456789ABCDEFGHJKLMNPQRSTUVWXYZabcdefghijkmnopqrstuvwxyz"
    number = 0
    for sign in expected[2:]:
        number = number * 58 + signs.index(sign)
    assert number.to_bytes(64, "big") == hashlib.sha512(data).digest()


def test_the_report_tells_all_and_stands_alone(library: Library, ledger: Ledger, card: Path, tarn: Place) -> None:
    """What came home by day and device, what was settled, what was left and why; names cannot break the page."""
    fill(card, 2)
    put(card / "A <b>&.JPG", making.jpeg(WHEN.replace(hour=20)))
    put(card / "GONE.JPG", making.jpeg(WHEN.replace(hour=21)))
    plan = planned(library, ledger, [card])
    fault = Fault("begin", lambda row: Path(row.source).unlink(), "GONE.JPG")
    from jutrek.transfer import Listener

    stays = Row(str(card / "INDEX.BIN"), str(card), Action.STAY, None, "It is no picture, clip or sound.", 4)
    outcome = bring(
        replace(plan, rows=(*plan.rows, stays)), library, ledger, stop=never(), places=[tarn],
        listener=Listener(step=fault), settled=["clock of B: +01:00:00"],
    )  # fmt: skip
    assert fault.fired
    run_log = run_log_of(library, outcome.run)
    told = report_of(run_log, library)
    assert (len(told.home), len(told.failed), len(told.left)) == (4, 1, 1)
    page = Path(write_report(run_log, library, stop=never()))
    html = etree.HTML(page.read_text())
    text = " ".join(html.itertext())
    for words in (
        "files brought home and read back", "Settled", "clock of B: +01:00:00", "GONE.JPG", "INDEX.BIN",
        "It is no picture", "Tarn", "2026-05-14", "A <b>&.JPG",
    ):  # fmt: skip
        assert words in text
    assert len(html.findall(".//img")) >= 3
    assert not [found for found in html.iter() if str(found.get("src", "data:")).partition(":")[0] != "data"]
    lines = list(csv.DictReader(io.StringIO((page.parent / "report.csv").read_text())))
    assert [line["result"] for line in lines].count("home") == 4
    assert {line["places"] for line in lines if line["result"] == "home"} == {"library; Tarn"}
    if shutil.which("xxhsum"):
        sums = page.parent / "checksums.xxh128"
        subprocess.run(["xxhsum", "-c", sums], cwd=library.root, check=True, capture_output=True)


def test_a_bit_that_flipped_is_in_no_list(library: Library, ledger: Ledger, card: Path) -> None:
    """The list names what was proven, by the fingerprint of what the source gave."""
    put(card / "A.JPG", making.jpeg())
    fault = Fault("synced", lambda _: flip_a_bit_of(library), "A.JPG")
    from jutrek.transfer import Listener

    plan = planned(library, ledger, [card])
    outcome = bring(plan, library, ledger, stop=never(), listener=Listener(step=fault))
    assert fault.fired
    write_hash_lists(run_log_of(library, outcome.run), library, [])
    (path,) = Path(library.root, "ascmhl").glob("*.mhl")
    assert valid(path, "hash_list.xsd").findtext(f".//{{{LISTS}}}xxh128") == xxh128(card / "A.JPG")


def test_a_list_is_begun_only_where_that_is_asked(library: Library, ledger: Ledger, card: Path, tarn: Place) -> None:
    """In a place, never in the library: there the intakes begin it."""
    fill(card, 2)
    keep_rules(library, HouseRules(hash_lists=False))
    bring(planned(library, ledger, [card], HouseRules(hash_lists=False)), library, ledger, stop=never(), places=[tarn])
    keep_rules(library, HouseRules())
    for begin, has in ((False, [False, False]), (True, [False, True])):
        assert lists_follow(library, ledger, [tarn], begin=begin) == []
        assert [Path(root, "ascmhl").is_dir() for root in (library.root, tarn.root)] == has


def flip_a_bit_of(library: Library) -> None:
    (path,) = Path(library.root).rglob(".jutrek-*.part")
    with path.open("r+b") as file:
        file.write(bytes([file.read(1)[0] ^ 1]))


@pytest.mark.parametrize("entity", ["'b'", "SYSTEM 'secret'"])
def test_a_list_reads_no_other_file_in(tmp_path: Path, entity: str) -> None:
    """Entities are not followed, whatever they name."""
    write_list(Tree(str(tmp_path)), [Listed("a.jpg", 1, 0, "0" * 32)], "in-place")
    (page,) = (tmp_path / "ascmhl").glob("*.mhl")
    put(page.with_name("secret"), b"b")
    head, _, rest = page.read_text().partition("<hashlist")
    declared = f"<!DOCTYPE hashlist [<!ENTITY x {entity}>]>"
    page.write_text(f"{head}{declared}<hashlist{rest}".replace("a.jpg", "&x;.jpg"))
    assert "b.jpg" not in history_of(Tree(str(tmp_path))).hashes
