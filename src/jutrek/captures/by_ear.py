"""Clocks by what devices heard together: the strongest evidence there is, told on from one device to the next."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import replace

from jutrek.captures.aligning import AGREE, REACH
from jutrek.captures.capture import Capture
from jutrek.captures.heard import Heard
from jutrek.captures.proposal import Proposal

_SAME = 2.0
"""Seconds by which what was heard may differ from what is proposed already, without being the better figure."""


def by_ear(
    proposals: Sequence[Proposal],
    heard: Iterable[Heard],
    captures: Mapping[str, Capture],
    right: Collection[str],
    *,
    firm: bool,
) -> list[Proposal]:
    """Lay what was heard over what is proposed.

    From devices whose clocks are known, shifts are told on to those that heard the same. What was heard outweighs how
    presses fall together, and satellite time outweighs what was heard.

    Args:
        captures: by id, as settled so far.
        right: keys of the devices whose clocks agree.
        firm: whether it is known that they are right.
    """
    links = [(one, apart) for one in heard if one.certain and (apart := one.apart(captures)) is not None]
    if not links:
        return list(proposals)
    fixed = {one.device: one.seconds for one in proposals if one.by_satellite}
    known = fixed | dict.fromkeys(right, 0.0)
    if not known.keys() & {key for one, _ in links for key in (one.device, one.other)}:
        # Nobody else tells who is right: then whoever the others are compared with is taken for it.
        known[max(links, key=lambda link: len(link[0].pairs))[0].other], firm = 0.0, False
    told: dict[str, Proposal] = {}
    spread = True
    while spread:
        spread = False
        for one, apart in links:
            for device, other, seconds in ((one.device, one.other, apart), (one.other, one.device, -apart)):
                if other in known and device not in known:
                    known[device] = seconds + known[other]
                    told[device] = _proposal(device, known[device], one, knows=firm or other in fixed)
                    spread = True
    old = {one.device: one for one in proposals if not one.captures}
    kept = [one for one in proposals if one.device not in told or (one.captures and abs(known[one.device]) <= AGREE)]
    return kept + [
        _confirmed(one, old.get(device)) for device, one in told.items() if abs(one.seconds) > AGREE
    ]  # fmt: skip


def _confirmed(heard: Proposal, old: Proposal | None) -> Proposal:
    """What was heard, by the rounder figure where another one says the same."""
    if old is not None and abs(old.seconds - heard.seconds) <= _SAME:
        return replace(heard, seconds=old.seconds, evidence=f"{old.evidence} {heard.evidence}".strip())
    return heard


def _proposal(device: str, seconds: float, heard: Heard, *, knows: bool) -> Proposal:
    """A shift that was heard; `knows` tells whether it is known which of the two is right.

    Of another day it is never certain: the same tape may have been played again.
    """
    evidence = "" if knows else "Which of the two clocks is wrong, they do not tell."
    other = heard.other if device == heard.device else heard.device
    certain = knows and abs(seconds) <= REACH
    return Proposal(device, round(seconds, 1), certain, evidence, heard=heard, against=() if knows else (other,))
