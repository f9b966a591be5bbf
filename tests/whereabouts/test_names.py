"""Names of positions, against every town one by one; the house's own spots before them."""

from __future__ import annotations

import math
import os
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
from lxml import etree

from jutrek.demo import stills
from jutrek.errors import NotPossible, PageBroken
from jutrek.library import Library
from jutrek.library.spots import forget_spot, name_spot, spots_of
from jutrek.views.columns import Columns
from jutrek.views.spotting import spot_around
from jutrek.whereabouts import Spot, Whereabouts
from jutrek.whereabouts.nearest import FARTHEST
from jutrek.whereabouts.towns import countries, towns
from jutrek.wording.packet import Packet
from jutrek.wording.places import PLACES
from jutrek.wording.properties import CREATED_AT, CREATED_FIELDS, SUBJECT, Field
from tests.cli.calling import jutrek
from tests.making import picture, put

NAN = float("nan")


def far(one: tuple[float, float], latitudes: np.ndarray, longitudes: np.ndarray) -> np.ndarray:
    """Metres, by the haversine formula."""
    north, east = map(math.radians, one)
    norths, easts = np.radians(latitudes), np.radians(longitudes)
    angle = np.sin((norths - north) / 2) ** 2 + np.cos(norths) * math.cos(north) * np.sin((easts - east) / 2) ** 2
    return 2 * 6_371_000 * np.arcsin(np.sqrt(angle))


def test_towns_are_the_nearest_on_the_ground_and_none_is_far() -> None:
    known, dice = towns(), np.random.default_rng(5)
    assert len(known.names) > 100_000
    near = dice.integers(0, len(known.names), 150)
    # Beside towns, and far in the north too, where degrees of longitude are short; and anywhere on the globe.
    north = np.concatenate([known.latitudes[near] + dice.normal(0, 0.15, 150), dice.uniform(-90, 90, 50), [69.3, 71.0]])
    east = np.concatenate(
        [known.longitudes[near] + dice.normal(0, 0.3, 150), dice.uniform(-180, 180, 50), [33.0, 25.8]]
    )
    named = Whereabouts().names(north, east)
    for place, name in zip(zip(np.round(north, 4), np.round(east, 4), strict=True), named, strict=True):
        metres = far(place, known.latitudes, known.longitudes)
        nearest = float(metres.min())
        assert bool(name) is (nearest <= FARTHEST)
        assert not name or name in {known.names[at] for at in np.flatnonzero(metres <= nearest + 0.01)}
    assert "" not in named[-2:]
    assert len(set(named)) > 80


def test_spots_come_before_towns_and_the_nearest_of_them_first() -> None:
    spots = [Spot("Gate", 39.42, 5.31, 100), Spot("Yard", 39.4205, 5.31, 1000), Spot("Date line", -17.0, 180.0, 3000)]
    asked = [(39.42, 5.31), (39.4203, 5.31), (39.4208, 5.31), (39.4211, 5.31), (39.4294, 5.31), (39.4297, 5.31),
             (-17.0, -179.99), (NAN, 5.31), (95.0, 5.31)]  # fmt: skip
    names = Whereabouts(spots).names([one for one, _ in asked], [one for _, one in asked])
    assert names[:8] == ["Gate", "Yard", "Yard", "Yard", "Yard", "", "Date line", ""]
    assert names[8] == ""
    assert Whereabouts(spots).names([], []) == []


def test_a_page_of_spots_is_checked_and_a_damaged_one_is_not_overwritten(library: Library) -> None:
    assert name_spot(library, Spot(" Lower  depot ", 39.42, 5, 900)) is None
    assert name_spot(library, Spot("lower Depot", -39, 5.31)) == Spot("Lower depot", 39.42, 5, 900)
    assert spots_of(library) == ([Spot("lower Depot", -39, 5.31, 500)], [])
    for bad in (Spot("", 1, 1), Spot("a\x1b", 1, 1), Spot("a", 91, 1), Spot("a", 1, NAN), Spot("a", 1, 1, 0)):
        with pytest.raises(NotPossible):
            name_spot(library, bad)
    page = Path(library.root, ".jutrek", "spots.toml")
    page.write_text(page.read_text() + '[[spot]]\nname = "x"\nlatitude = 95.0\nlongitude = nan\nmetres = 1\n')
    assert [one.name for one in spots_of(library)[0]] == ["lower Depot"]
    assert len(spots_of(library)[1]) == 1
    with pytest.raises(PageBroken):
        forget_spot(library, "lower depot")


def test_a_spot_around_captures_holds_them_all() -> None:
    dice = np.random.default_rng(3)
    for middle in ((39.42, 5.31), (-17.0, 179.999), (89.9, 40.0)):
        north, east = middle[0] + dice.normal(0, 0.01, 30), middle[1] + dice.normal(0, 0.02, 30)
        columns = Columns.__new__(Columns)
        object.__setattr__(columns, "latitude", np.float32([*np.minimum(north, 90), NAN]))
        object.__setattr__(columns, "longitude", np.float32([*(east + 180) % 360 - 180, NAN]))
        spot = spot_around(columns, range(31), "Here")
        assert spot is not None
        known = Whereabouts([spot]).names(columns.latitude[:30], columns.longitude[:30])
        assert set(known) == {"Here"}
        assert spot.metres <= 2 * far(spot[1:3], columns.latitude[:30], columns.longitude[:30]).max() + 200
    assert spot_around(columns, [30], "Nowhere") is None


def shot(number: int, place: tuple[float, float] | None, day: int = 14) -> bytes:
    when = datetime(2026, 5, day, 9, number)
    return stills.jpeg(
        picture(number + day), stills.Shot(when, "Arlen", "M2", "A2-1", "+02:00", place, when - timedelta(hours=2))
    )


def test_places_are_filled_from_positions_and_stay_as_they_were_filed(library: Library, card: Path) -> None:
    """A shoot has one place, that of most of its captures; what somebody said comes before."""
    gate, yard = (39.42, 5.31), (39.48, 5.31)
    for number, place in enumerate((gate, gate, yard, None)):
        put(card / f"{number}.JPG", shot(number, place))
    put(card / "9.JPG", shot(9, None, 15))
    jutrek("spots", "name", "Gate", "39.42,", "5.31", "-l", library.root)
    jutrek("spots", "name", "Far yard", "39.48", "5.31", "--reach", "300", "-l", library.root)
    jutrek("rules", "set", "-l", library.root, "filing.layout=<{place}/>{year}")
    jutrek("bring", card, "-l", library.root)
    names = [f"20260514_090{number}00.jpg" for number in range(4)]
    there = sorted(os.path.relpath(one, library.root) for one in Path(library.root).rglob("*.jpg"))
    assert there == ["2026/20260515_090900.jpg", *(f"Gate/2026/{name}" for name in names)]
    assert jutrek("refile", "-l", library.root).stderr.startswith("0 files would move")
    # The house calls it otherwise now: what was filed stays, and is found by what it was filed as.
    jutrek("spots", "remove", "Gate", "-l", library.root)
    jutrek("spots", "name", "Main gate", "39.42", "5.31", "-l", library.root)
    assert jutrek("refile", "-l", library.root).stderr.startswith("0 files would move")
    assert jutrek("list", "near", "Gate", "--count", "-l", library.root).stdout == "4\n"
    put(card / "new.JPG", shot(20, gate, 20))
    jutrek("bring", card, "--say", "place=Shed", "-l", library.root)
    assert Path(library.root, "Shed/2026/20260520_092000.jpg").exists()
    assert jutrek("list", "--by", "place", "-l", library.root).stdout == "1\t(none)\n4\tGate\n1\tShed\n"


def test_where_captures_were_is_said_of_them(library: Library, card: Path) -> None:
    """On arrival or later, by spot, town, state and country; as keywords, too; what is said already stays."""
    known = towns()
    at = next(one for one, state in enumerate(known.states) if state and known.codes[one] == known.codes[one - 1])
    town = round(float(known.latitudes[at]), 5), round(float(known.longitudes[at]), 5)
    jutrek("spots", "name", "Shed", f"{town[0]},", str(town[1]), "--reach", "100", "-l", library.root)
    put(card / "0.JPG", shot(0, town))
    put(card / "1.JPG", shot(1, None))
    jutrek("rules", "set", "sidecars.where=names", "-l", library.root)
    jutrek("bring", card, "-l", library.root)
    (sidecar,) = Path(library.root).rglob("*.xmp")
    packet = Packet(sidecar.read_bytes())
    country = countries()[known.codes[at]]
    said = {field: packet.text(field.value) for field in (*PLACES, Field.CODE)}
    assert list(said.values()) == ["Shed", known.names[at], known.states[at], country, known.codes[at]]
    created = etree.fromstring(bytes(packet)).find(f".//{CREATED_AT.tag}/{{*}}Bag/{{*}}li")
    assert {CREATED_FIELDS[field].tag: value for field, value in said.items()} == {one.tag: one.text for one in created}
    assert packet.items(SUBJECT) == []
    # Anything that is said of it comes before, and is never mixed with what the position says.
    sidecar.unlink()
    jutrek("caption", "2026", "--place", "Main gate", "-l", library.root)
    jutrek("caption", "2026", "--where-keywords", "-l", library.root)
    packet = Packet(sidecar.read_bytes())
    assert [packet.text(field.value) for field in PLACES] == ["Main gate", "", "", ""]
    assert packet.branches() == [(country, known.names[at], "Shed")]
    told = jutrek("caption", "2026/05/20260514_090100.jpg", "--where", "-l", library.root, code=1)
    assert "no position is known" in told.stderr
