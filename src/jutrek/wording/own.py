"""What the files of a capture say themselves, in them: no sidecar's word."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from jutrek.wording.properties import Field

if TYPE_CHECKING:
    from jutrek.formats import Wording


@dataclass(frozen=True, slots=True)
class Own:
    """What the files of a capture say themselves, in them."""

    keywords: tuple[str, ...] = ()
    fields: Mapping[Field, str] = field(default_factory=dict)


NOTHING = Own()


def own_of(wordings: Sequence[Wording]) -> Own:
    """What files say, the first one's word first."""
    words = dict.fromkeys(word for one in wordings for word in one.keywords)
    said: dict[Field, str] = {}
    for one in wordings:
        for name, text in (
            (Field.TITLE, one.title), (Field.DESCRIPTION, one.description), (Field.CREATOR, one.creator),
            (Field.RIGHTS, one.rights), (Field.JOB, one.job), (Field.PLACE, one.place),
        ):  # fmt: skip
            if text:
                said.setdefault(name, text)
    return Own(tuple(words), said)
