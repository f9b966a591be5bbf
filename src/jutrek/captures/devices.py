"""Letters and colours for the devices of an intake."""

from __future__ import annotations

import re
import string
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence

from jutrek.captures.capture import Capture, Device
from jutrek.formats import Kind
from jutrek.sources import Medium, Source

_LONE_LETTER = re.compile(r"(?:^|[\s_\-])([A-Za-z])$")


def main_device(captures: Iterable[Capture]) -> str | None:
    """The key of the device that made most of the captures, or None without captures."""
    counts = Counter(capture.device for capture in captures)
    return counts.most_common(1)[0][0] if counts else None


def assign(sources: Sequence[Source], captures: Mapping[str, Sequence[Capture]]) -> dict[str, Device]:
    """Give every device of an intake a letter and a colour.

    A lone letter at the end of a card's name (`CARD_B`) is the letter that the person gave it, so it wins. A folder
    lends its initial. The rest take the first free letter of the alphabet.

    Args:
        sources: in the order of the board.
        captures: per source root.

    Returns:
        Devices by key, main devices of the sources first.
    """
    wishes: dict[str, str] = {}
    for source in sources:
        key = main_device(captures.get(source.root, ()))
        if key is not None:
            wishes.setdefault(key, _wish(source))
    names = _names(sources, captures)
    keys = [*wishes, *(key for key in names if key not in wishes)]
    taken: set[str] = set()
    letters: dict[str, str] = {}
    for key in keys:
        wish = wishes.get(key, "")
        if wish and wish not in taken:
            letters[key] = wish
            taken.add(wish)
    for key in keys:
        if key not in letters:
            letters[key] = _free(taken)
            taken.add(letters[key])
    return {key: Device(key, names[key], letters[key], number) for number, key in enumerate(keys)}


def _wish(source: Source) -> str:
    lone = _LONE_LETTER.search(source.name)
    if lone:
        return lone[1].upper()
    initial = source.name[:1].upper()
    return initial if source.medium is Medium.FOLDER and initial in string.ascii_uppercase else ""


def _free(taken: set[str]) -> str:
    for letter in string.ascii_uppercase:
        if letter not in taken:
            return letter
    return next(f"A{number}" for number in range(2, 10_000) if f"A{number}" not in taken)


_ROLES = {Kind.STILL: "camera", Kind.CLIP: "video camera", Kind.SOUND: "recorder"}


def _names(sources: Sequence[Source], captures: Mapping[str, Sequence[Capture]]) -> dict[str, str]:
    names: dict[str, str] = {}
    for source in sources:
        for capture in captures.get(source.root, ()):
            if capture.device in names:
                continue
            facts = next((read.reading.device for read in capture.files if read.reading.device), None)
            words = f"{facts.make} {facts.model}".strip() if facts else ""
            if facts and facts.model.casefold().startswith(facts.make.casefold()):
                words = facts.model
            names[capture.device] = words or f"Unknown {_ROLES.get(capture.kind, 'device')}"
    return names
