"""What is kept of a large file that was partly copied, and pages about it that tell what cannot be."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pytest

from jutrek.disk import Tree, inside
from jutrek.disk.inside import Realm
from jutrek.errors import PlaceLost
from jutrek.library import new_library
from jutrek.library.ledger import Ledger
from jutrek.transfer import Listener, bring, carry
from jutrek.transfer.medium import BLOCK
from jutrek.transfer.resumable import Content, find_partial, forget_page, keep_partial, room_of_partials
from jutrek.transfer.run_log import run_log_of
from tests import making
from tests.conftest import Medium
from tests.making import WHEN, never, planned, put
from tests.transfer.test_bring import BLOCKS, Fault

CLIP = Content(10 * BLOCK, b"\x01" * 16)


def kept(tree: Tree, upto: int, content: Content = CLIP) -> bool:
    """Keep a temporary of which some bytes are there."""
    temporary = inside(f".jutrek-{upto}.part", Realm.OWN)
    Path(tree.at(temporary)).write_bytes(bytes(upto))
    return keep_partial(tree, temporary, content, [(end, b"\x02" * 16) for end in range(BLOCK, upto + 1, BLOCK)])


def test_the_longest_is_kept_and_found_by_its_content(tmp_path: Path) -> None:
    """A longer one replaces it; a shorter one, one without a whole part, and another file's are nothing to it."""
    tree = Tree(str(tmp_path))
    assert not kept(tree, BLOCK - 1)
    assert kept(tree, BLOCK)
    assert kept(tree, 3 * BLOCK)
    assert not kept(tree, 3 * BLOCK)
    assert not kept(tree, 2 * BLOCK)
    found = find_partial(tree, CLIP)
    assert found and (found.upto, len(found.parts)) == (3 * BLOCK, 3)
    assert room_of_partials(tree) == (1, 3 * BLOCK)
    for other in (Content(CLIP.size + 1, CLIP.quick), Content(CLIP.size, b"\x03" * 16)):
        assert find_partial(tree, other) is None
    forget_page(tree, found)
    assert find_partial(tree, CLIP) is None


@pytest.mark.parametrize(
    ("ends", "stands"),
    [
        ([BLOCK], True), ([BLOCK, 9 * BLOCK], True), ([9 * BLOCK, BLOCK], False), ([BLOCK, BLOCK], False),
        ([BLOCK, 10 * BLOCK], False), ([11 * BLOCK], False), ([BLOCK + 1], False), ([BLOCK - 1, BLOCK], False),
        ([], False),
    ],
)  # fmt: skip
def test_a_page_that_tells_what_cannot_be_is_not_believed(ends: list[int], stands: bool, tmp_path: Path) -> None:
    """Parts come one behind the other, end with whole blocks, and before the file does."""
    tree = Tree(str(tmp_path))
    assert kept(tree, BLOCK)
    (page,) = Path(tmp_path, ".jutrek", "partial").glob("*.json")
    told = json.loads(page.read_text())
    page.write_text(json.dumps({**told, "parts": [[end, "02" * 16] for end in ends]}))
    assert (find_partial(tree, CLIP) is not None) is stands


def test_no_part_is_told_before_it_is_durable(
    card: Path, medium: Callable[[str], Medium], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Where the place cannot make it so, the journal knows of none, and nothing is kept to go on from."""
    monkeypatch.setattr(carry, "PART", 4 * 1024 * 1024)
    put(card / "CLIP.MP4", making.mp4(WHEN, media=BLOCKS * 2))
    disk = medium("disk")
    (disk.top / "library").mkdir()
    library = new_library(str(disk.top / "library"))
    with Ledger(library.ledger_path) as ledger:
        plan = planned(library, ledger, [card])
        hurt = Fault("opened", lambda _: disk.fail(sync_error=5))
        outcome = bring(plan, library, ledger, stop=never(), listener=Listener(step=hurt))
    assert isinstance(outcome.trouble, PlaceLost)
    disk.fail()
    assert run_log_of(library, outcome.run).parts == {}
    assert room_of_partials(library.tree) == (0, 0)
