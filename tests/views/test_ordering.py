"""The order in which captures are shown."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from jutrek.filing import HouseRules
from jutrek.library import Library
from jutrek.library.ledger import Ledger
from jutrek.views.laying import Apart, Layer, apart
from jutrek.views.looking import current
from jutrek.views.ordering import ordered
from jutrek.views.orders import Order
from jutrek.views.sentence import parse
from tests import making
from tests.cli.calling import jutrek
from tests.making import WHEN, never, put

_SAID = """<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">
<rdf:Description xmlns:xmp="http://ns.adobe.com/xap/1.0/" xmp:Label="{label}" xmp:Rating="{rating}"/>
</rdf:RDF></x:xmpmeta>"""


@pytest.fixture
def home(library: Library) -> Library:
    """Five captures, in the order of shooting P10, P2, s, p1, c."""
    root = Path(library.root)
    for number, name in enumerate(("b/P10.jpg", "a/P2.jpg", "a/s.wav", "b/p1.jpg", "a/c.mp4")):
        when = WHEN.replace(hour=number)
        made = {"jpg": making.jpeg, "wav": making.wav, "mp4": making.mp4}[name[-3:]](when)
        put(root / name, made + bytes(number * 7 % 5 * 4000), when)
    for name, label, rating in (("b/P10", "R", 2), ("b/p1", "Best", 5)):
        said = _SAID.format(label=label, rating=rating)
        put(root / f"{name}.xmp", said.encode(), WHEN.replace(day=20))
    return library


@pytest.mark.parametrize(
    ("order", "names"),
    [
        (Order.MOMENT, "P10 P2 s p1 c"), (Order.NAME, "c p1 P2 P10 s"), (Order.KIND, "P10 P2 p1 c s"),
        (Order.MARK, "p1 P10 P2 s c"), (Order.RATING, "p1 P10 P2 s c"), (Order.CHANGED, "P10 p1 c s P2"),
    ],
)  # fmt: skip
def test_by_what_is_said(home: Library, ledger: Ledger, order: Order, names: str) -> None:
    """Numbers in names count as numbers; what is equal stays in the order of shooting."""
    columns = current(home, ledger, HouseRules, stop=never())
    rows = Layer(columns, ()).lay(parse("everything")).rows
    told = [Path(path).stem for path in columns.paths(ordered(columns, rows, order))]
    if order is Order.KIND:
        assert sorted(told[:3]) == ["P10", "P2", "p1"]
        assert [one for one in told if one[0] in "Pp"] == ["P10", "P2", "p1"]
        return
    assert " ".join(told) == names
    said = jutrek("list", "--order", order.value, "-l", home.root).stdout.splitlines()
    assert [Path(line).stem for line in said] == told


def test_the_largest_first_and_within_folders(home: Library, ledger: Ledger) -> None:
    """By what their files have together; each folder has its own order."""
    columns = current(home, ledger, HouseRules, stop=never())
    layer = Layer(columns, ())
    rows = layer.lay(parse("everything")).rows
    sizes = columns.size[ordered(columns, rows, Order.SIZE)].tolist()
    assert sizes == sorted(sizes, reverse=True)
    within, groups = apart(columns, layer.tree, rows, Apart.FOLDERS, Order.NAME)
    assert [(words, [os.path.basename(path) for path in columns.paths(within[part])]) for _, words, part in groups] == [
        ("a", ["c.mp4", "P2.jpg", "s.wav"]), ("b", ["p1.jpg", "P10.jpg"]),
    ]  # fmt: skip
