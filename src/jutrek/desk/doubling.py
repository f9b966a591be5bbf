"""Doubles in an intake: what is there already with other metadata or in another encoding, and what becomes of it.

By house rules such captures wait for an answer, come home, or stay on their source. A capture stands where its primary
file stands; companions say nothing about it.
"""

from __future__ import annotations

import os
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace

from jutrek.captures import Capture, Certainty, Decisions, Doubt, find_doubts
from jutrek.captures.decisions import BringDoubles, SetAside
from jutrek.captures.doubts import Answer, many
from jutrek.desk.story import Story
from jutrek.doubles import Comparison, Standing
from jutrek.errors import shown
from jutrek.filing import HouseRules, OnDouble

KEY = "double:"
"""The keys of questions about doubles begin like this."""
_WORDS = {
    Standing.RETAGGED: ("the same picture or sound to the byte, with other notes", Certainty.LIKELY),
    Standing.REENCODED: ("the same by the looks, saved another way", Certainty.OPEN),
    Standing.ALIKE: ("like it, and not the same", Certainty.OPEN),
}


def rule_of(rules: HouseRules, standing: Standing) -> OnDouble:
    """What the house does with a standing."""
    by = {Standing.RETAGGED: rules.retagged, Standing.REENCODED: rules.reencoded, Standing.ALIKE: rules.alike}
    return by.get(standing, OnDouble.BRING)


def with_doubles(story: Story, standings: Mapping[str, Comparison], rules: HouseRules, decisions: Decisions) -> Story:
    """A story with its doubles: those that wait, each kind of them as a question, and those that stay by the rules.

    Questions about dates are asked of what is not home yet: the rest was settled when it came, one way or the other.

    Args:
        story: without them.
        standings: where each file stands in the library, by path.
        rules: the house rules.
        decisions: what was decided.
    """
    asked: dict[tuple[Standing, bool, str], list[Capture]] = defaultdict(list)
    waits, aside = dict(story.wishes.waits), set(story.aside)
    settled = decisions.both | decisions.aside
    for capture in story.captures:
        stands = standings.get(capture.id)
        if stands is None or stands.standing not in _WORDS or capture.id in settled:
            continue
        rule = rule_of(rules, stands.standing)
        if stands.better and rule is OnDouble.STAY:
            # A rule that smaller copies stay is not meant for the picture that they were made of.
            rule = OnDouble.ASK
        where = f"{stands.equal} at home" if not os.path.isabs(stands.equal) else os.path.basename(stands.equal)
        why = f"It is {_WORDS[stands.standing][0]}: {shown(where)}."
        if rule is OnDouble.STAY:
            waits[capture.id] = f"{why} By the house rules it stays."
            aside.add(capture.id)
        elif rule is OnDouble.ASK and capture.id not in waits and capture.trusted:
            waits[capture.id] = why
            asked[stands.standing, stands.better, capture.device].append(capture)
    doubts = [_doubt(standing, own, standings, better=better) for (standing, better, _), own in asked.items()]
    wishes = replace(story.wishes, waits=waits)
    home = {key for key in standings if _is_home(key, standings)}
    still = story.doubts
    if any(not home.isdisjoint(doubt.captures) for doubt in still):
        still = tuple(find_doubts(story.captures, story.devices, decisions, story.proposals, home))
    return replace(story, doubts=(*still, *doubts), wishes=wishes, aside=frozenset(aside))


def _is_home(capture: str, standings: Mapping[str, Comparison]) -> bool:
    stands = standings.get(capture)
    return stands is not None and stands.standing is Standing.HOME


def _doubt(standing: Standing, own: Sequence[Capture], standings: Mapping[str, Comparison], *, better: bool) -> Doubt:
    said, certainty = _WORDS[standing]
    ids = tuple(capture.id for capture in own)
    they = "It is" if len(own) == 1 else "They are"
    leave = Answer(
        "Leave on the source" if len(own) == 1 else f"Leave all {len(own)} on the source", SetAside(frozenset(ids))
    )
    too = "" if better else ", too"
    bring = Answer(
        f"Bring it{too}" if len(own) == 1 else f"Bring all {len(own)}{too}", BringDoubles(frozenset(ids))
    )  # fmt: skip
    more = " The new one is the raw, or has more pixels." if better else ""
    at_home = sum(not os.path.isabs(standings[key].equal) for key in ids)
    how = "with other notes" if standing is Standing.RETAGGED else "saved another way"
    there = "at home already" if at_home == len(ids) else "there already"
    return Doubt(
        f"{KEY}{standing}{':better' if better else ''}:{own[0].device}", own[0].device, ids,
        f"{many(own)} {'is' if len(own) == 1 else 'are'} {there}, {how}",
        f"{they} {said}: {', '.join(_pairs(ids, standings))}.{more}",
        certainty,
        (bring, leave) if better else (leave, bring),
    )  # fmt: skip


_NAMED = 2


def _pairs(ids: Sequence[str], standings: Mapping[str, Comparison]) -> Iterator[str]:
    for key in ids[:_NAMED]:
        yield f"{shown(os.path.basename(key))} and {shown(os.path.basename(standings[key].equal))}"
    if len(ids) > _NAMED:
        yield f"{len(ids) - _NAMED} more"
