"""What is at home, asked in parts, against the same asked of whole lists."""

from __future__ import annotations

import os
import random
from collections import Counter
from pathlib import PurePosixPath

import pytest

from jutrek.library import Filed, HomeFile, ProofMark, State
from jutrek.library.catalogue import ALL, Facet, Narrowed, Order
from jutrek.library.contents import Content
from jutrek.library.ledger import Ledger

FOLDERS = ("", "2026/05", "2026/05/bridge", "2026/05b", "2026/050", "2025/Ä", os.fsdecode(b"raw\xff"), "100%_a", "a\\b")
MOMENTS = ("", "2025-12-31T23:59:59", "2026-05-14T10:26:13", "2026-05-14", "2026-06-01T00:00:00")
Truth = dict[str, tuple[HomeFile, Filed | None, str, bool]]


@pytest.fixture
def truth(ledger: Ledger) -> Truth:
    """More than a page of files, some of them not filed, not looked at, not proven."""
    chance, known = random.Random(3), {}
    for number in range(1300):
        folder = chance.choice(FOLDERS)
        path = f"{folder}/{number:04}.jpg" if folder else f"{number:04}.jpg"
        moment, device = chance.choice(MOMENTS), chance.choice(("A", "B", ""))
        filed = Filed(
            moment, 0.0, device, chance.choice(("Ida", "")), "", "", (), f"DCIM/{chance.randrange(9)}/{number}.JPG"
        )
        known[path] = (
            HomeFile(path, chance.randrange(9), 1),
            filed if chance.random() < 0.9 else None,
            chance.choice(("still", "clip", "")),
            chance.random() < 0.5,
        )
    ledger.put([home for home, *_ in known.values()])
    ledger.put_filed((path, filed) for path, (_, filed, _, _) in known.items() if filed)
    ledger.contents.put(Content(path, home.size, 1, kind) for path, (home, _, kind, _) in known.items() if kind)
    states = {path: State.PROVEN if proven else State.ROTTED for path, (*_, proven) in known.items()}
    ledger.put_proofs(ProofMark("", path, 0, 1, b"x", "", state) for path, state in states.items())
    ledger.put_proofs([ProofMark("tarn", path, 0, 1, b"x", "") for path in known])
    return known


def meant(truth: Truth, of: Narrowed) -> set[str]:
    """The same by plain loops."""
    found = set()
    for path, (_, filed, _, proven) in truth.items():
        own, parents = filed or Filed(), {str(one) for one in PurePosixPath(path).parents}
        inside = of.folder is None or (of.folder or ".") in (parents if of.deeper else {os.path.dirname(path) or "."})
        late = of.since is None or (filed is not None and own.moment >= of.since)
        early = of.before is None or "" < own.moment < of.before
        made = of.device in (None, own.device if filed else None) and of.operator in (
            None,
            own.operator if filed else None,
        )
        worded = all(word.lower() in path.lower() for word in of.words)
        if inside and late and early and made and worded and not (of.unproven and proven):
            found.add(path)
    return found


NARROWED = (
    *(Narrowed(folder, deeper) for folder in (*FOLDERS, "2026", "nowhere") for deeper in (True, False)),
    Narrowed(since="2026-05"), Narrowed(before="2026-05-14"), Narrowed(since="2026-05-14", before="2026-06"),
    Narrowed(device="A"), Narrowed(device=""), Narrowed(operator="Ida", folder="2026/05"),
    Narrowed(words=("%_",)), Narrowed(words=("a\\b", "1")), Narrowed(words=("BRIDGE",)), Narrowed(words=("_",)),
    Narrowed(unproven=True), Narrowed(unproven=True, words=("7",), since="2026"), ALL,
)  # fmt: skip


def test_parts_are_what_the_whole_says(ledger: Ledger, truth: Truth) -> None:
    """Counts, sizes, facets and all pages in either order, under each narrowing."""
    for of in NARROWED:
        paths = meant(truth, of)
        assert ledger.catalogue.count(of) == (len(paths), sum(truth[path][0].size for path in paths))
        months = Counter((filed.moment[:7] if (filed := truth[path][1]) else "") for path in paths)
        assert ledger.catalogue.facet(Facet.MONTH, of) == dict(sorted(months.items()))
        assert ledger.catalogue.facet(Facet.KIND, of) == Counter(truth[path][2] for path in paths)
        by_path = [one.path for one in ledger.catalogue.all_of(of)]
        assert by_path == sorted(paths, key=os.fsencode)
        moments = {path: filed.moment if (filed := truth[path][1]) else "" for path in paths}
        by_time = sorted(paths, key=lambda path: (not moments[path], moments[path], os.fsencode(path)))
        assert [one.path for one in ledger.catalogue.all_of(of, Order.TIME)] == by_time
    assert len(ledger.catalogue.page()) == 1000


def test_a_step_has_the_folders_right_within(ledger: Ledger, truth: Truth) -> None:
    """Each with what lies in it and deeper; what lies right there is in none."""
    for folder in ("", "2026", "2026/05", "2026/05/bridge", "nowhere"):
        deep = len(PurePosixPath(folder).parts)
        inside = [PurePosixPath(path).parts for path in meant(truth, Narrowed(folder=folder))]
        wanted = Counter(parts[deep] for parts in inside if len(parts) > deep + 1)
        assert ledger.catalogue.step(folder) == wanted
    some = Narrowed(device="A")
    assert sum(ledger.catalogue.step("", some).values()) == len(
        meant(truth, some) - meant(truth, Narrowed("", deeper=False))
    )


def test_files_are_found_by_their_paths_now_and_then(ledger: Ledger, truth: Truth) -> None:
    """More paths than a statement takes; folders at home and on the cards that files came from."""
    filed = {path: one for path, (_, one, _, _) in truth.items() if one}
    assert ledger.catalogue.filed_at([*truth, "nowhere"]) == filed
    wanted = {path: one for path, one in filed.items() if os.path.dirname(path) in ("2026/05", "")}
    assert ledger.catalogue.filed_in(["2026/05", "", "2026/05"]) == wanted
    ledger.put_filed([("deep.jpg", Filed(original="DCIM/3/deeper/1.JPG")), ("top.jpg", Filed(original="1.JPG"))])
    brought = {path: one for path, one in filed.items() if os.path.dirname(one.original) == "DCIM/3"}
    assert ledger.catalogue.brought_from(["DCIM/3"]) == brought
    assert ledger.catalogue.brought_from([""]).keys() == {"top.jpg"}
