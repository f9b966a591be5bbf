"""The story of an intake: its captures as decided, its devices, its open questions, its days and shoots."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from jutrek.captures import (
    Beside,
    Capture,
    Decisions,
    Device,
    Doubt,
    Heard,
    Proposal,
    Shoot,
    assign,
    beside_of,
    find_doubts,
    held,
    settled,
    shoots_of,
)
from jutrek.filing import HouseRules, Wishes
from jutrek.filing.facts import owner_of
from jutrek.formats import Offset, Timestamp
from jutrek.sources import Source
from jutrek.whereabouts import Whereabouts

ASIDE = "Set aside: it is left out of this intake."


@dataclass(frozen=True, slots=True)
class Story:
    """What an intake tells.

    Attributes:
        captures: as settled by the decisions, in the order of shooting.
        devices: by key.
        doubts: open questions, the surest first.
        shoots: in the order of time; captures without a date to trust, and those set aside, are in none.
        wishes: what a plan is made by.
        aside: captures that are left out, by decision or by house rules.
        proposals: shifts that were found between the devices.
        beside: where clips lie in takes of sound, by what both heard, by clip.
    """

    captures: tuple[Capture, ...] = ()
    devices: Mapping[str, Device] = field(default_factory=dict)
    doubts: tuple[Doubt, ...] = ()
    shoots: tuple[Shoot, ...] = ()
    wishes: Wishes = field(default_factory=Wishes)
    aside: frozenset[str] = frozenset()
    proposals: tuple[Proposal, ...] = ()
    beside: Mapping[str, list[Beside]] = field(default_factory=dict)


def devices_of(
    sources: Sequence[Source], captures: Iterable[Capture], decisions: Decisions, known: Mapping[str, Device]
) -> dict[str, Device]:
    """The devices of an intake by key: as the library knows them, as they are told apart, as a person called them.

    Args:
        sources: what people wrote on them gives letters.
        captures: of all sources.
        decisions: what was decided.
        known: the library's devices by key.
    """
    by_root: dict[str, list[Capture]] = {source.root: [] for source in sources}
    for capture in captures:
        if capture.root in by_root:
            by_root[capture.root].append(capture)
    return {
        key: replace(
            device,
            name=decisions.names.get(key, device.name),
            operator=decisions.operators.get(key, device.operator),
        )
        for key, device in assign(sources, by_root, known).items()
    }


def tell(
    captures: Sequence[Capture],
    devices: Mapping[str, Device],
    decisions: Decisions,
    rules: HouseRules,
    proposals: Iterable[Proposal],
    heard: Sequence[Heard] = (),
    whereabouts: Whereabouts | None = None,
) -> Story:
    """Lay decisions over captures.

    Args:
        captures: as grouped, with the dates that their files tell.
        proposals: shifts that were found between the devices.
        heard: what devices heard together.
        whereabouts: names positions for patterns that ask for places.
    """
    ordered, proposals = settled(captures, decisions), tuple(proposals)
    doubts = find_doubts(ordered, devices, decisions, proposals)
    out = decisions.aside | decisions.unfiled
    filed = (capture for capture in ordered if capture.trusted and capture.id not in out)
    shoots = shoots_of(filed, decisions, day_starts=rules.day_begins, gap=rules.shoot_gap)
    trusted = {capture.id for capture in ordered if capture.trusted}
    waits = {capture: why for capture, why in held(doubts).items() if capture in trusted}
    waits |= dict.fromkeys(decisions.aside, ASIDE)
    operators = {capture.id: who for capture in ordered if (who := _who(capture, decisions, devices, rules))}
    wishes = Wishes(shoots, waits, decisions.unfiled, operators, decisions.worded, devices,
                    decisions.said, decisions.along,
                    whereabouts if rules.uses("place") else None)  # fmt: skip
    return Story(
        tuple(ordered), devices, tuple(doubts), tuple(shoots), wishes, decisions.aside, proposals, beside_of(heard)
    )  # fmt: skip


def _who(capture: Capture, decisions: Decisions, devices: Mapping[str, Device], rules: HouseRules) -> str:
    """Who made a capture: who was said to, who carries its device, or, by house rule, whose the device says it is."""
    said = decisions.carried.get(capture.id) or devices[capture.device].operator
    return said or (owner_of(capture) if rules.owners else "")


def as_objects(story: Story) -> dict[str, Any]:
    """Devices, shoots, captures and doubts as JSON objects."""
    shoots = {capture.id: shoot for shoot in story.shoots for capture in shoot.captures}
    return {
        "devices": [
            {"key": one.key, "letter": one.letter, "name": one.name, "operator": one.operator}
            for one in story.devices.values()
        ],
        "shoots": [
            {"day": str(one.day), "words": one.words, "start": one.start.isoformat(), "end": one.end.isoformat(),
             "captures": len(one.captures)}
            for one in story.shoots
        ],
        "captures": [_capture(one, story, shoots.get(one.id)) for one in story.captures],
        "doubts": [
            {"key": one.key, "sign": one.sign, "device": story.devices[one.device].letter, "headline": one.headline,
             "evidence": one.evidence, "certainty": one.certainty.value, "shift": one.shift,
             "captures": list(one.captures), "answers": [answer.words for answer in one.answers],
             "heard": _heard(one, story)}
            for one in story.doubts
        ],
    }  # fmt: skip


def _heard(doubt: Doubt, story: Story) -> dict[str, Any] | None:
    """What two devices heard together: with whom, how clearly, and how many clips."""
    heard = doubt.heard
    if heard is None:
        return None
    other = heard.other if doubt.device == heard.device else heard.device
    return {"with": story.devices[other].letter, "clear": round(heard.clear, 1), "pairs": len(heard.pairs)}


def _capture(capture: Capture, story: Story, shoot: Shoot | None) -> dict[str, Any]:
    moment, devices, wishes = capture.moment, story.devices, story.wishes
    tails, tied = (part or ("",) * len(capture.files) for part in (capture.tails, capture.tied))
    return {
        "id": capture.id,
        "kind": capture.kind.value,
        "device": devices[capture.device].letter,
        "operator": wishes.operators.get(capture.id, ""),
        "shoot": shoot.key if shoot else None,
        "stack": capture.stack or None,
        "beside": [
            {"capture": pair.take, "from": round(pair.seconds, 2)} for pair in story.beside.get(capture.id, ())
        ],
        "waits": wishes.waits.get(capture.id),
        "moment": None if moment is None else {
            "local": Timestamp(moment.local, moment.precision).iso(),
            "offset": None if moment.offset is None else str(Offset(moment.offset)),
            "trust": moment.trust.value, "shift": moment.shift, "why": moment.why,
        },
        "files": [
            {"path": read.file.path, "tail": tail, "tied": why}
            for read, tail, why in zip(capture.files, tails, tied, strict=True)
        ],
        "notes": list(capture.notes),
    }  # fmt: skip
