"""Places as they are said of captures: IPTC locations, and keywords."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from jutrek.wording.properties import Field
from jutrek.wording.tree import WordTrouble, checked_word

if TYPE_CHECKING:
    from jutrek.whereabouts import Location
    from jutrek.wording.spelling import Branch
    from jutrek.wording.tree import WordTree

PLACES = (Field.PLACE, Field.CITY, Field.STATE, Field.COUNTRY)
"""What says where something was: where one of them is said, none is said by position."""


def place_fields(location: Location) -> dict[Field, str]:
    """What is said of a location (IPTC Core; the country by its ISO code, too); nothing for none."""
    values = (location.spot, location.city, location.state, location.country, location.code)
    return {one: value for one, value in zip((*PLACES, Field.CODE), values, strict=True) if value}


def place_words(location: Location, tree: WordTree) -> list[Branch]:
    """Keywords of a location: as the house's list has its town or spot, else country, town and spot under another."""
    found = []
    for name in filter(None, (location.spot, location.city)):
        if len(listed := tree.find(name)) == 1:
            found.append(tree.branch(listed[0]))
    if found or not location.name:
        return found
    parts = (location.country, location.city, location.spot)
    try:
        return [tuple(checked_word(one) for one in parts if one)]
    except WordTrouble:
        return []


def says_place(fields: Mapping[Field, str]) -> bool:
    """Whether something is said of where it was."""
    return any(fields.get(one) for one in PLACES)
