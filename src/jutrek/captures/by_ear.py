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
    known: dict[str, tuple[float, bool]] = dict.fromkeys(right, (0.0, firm))
    known |= {one.device: (one.seconds, True) for one in proposals if one.by_satellite}
    told: dict[str, Proposal] = {}
    while links:
        near = [link for link in links if not known.keys().isdisjoint((link[0].device, link[0].other))]
        if not near:
            # Of these nobody tells who is right: then whoever most was compared with is taken for it.
            known[max(links, key=lambda link: len(link[0].pairs))[0].other] = (0.0, False)
            continue
        for one, apart in near:
            for device, other, seconds in ((one.device, one.other, apart), (one.other, one.device, -apart)):
                if other in known and device not in known:
                    shift, knows = known[other]
                    known[device] = (seconds + shift, knows)
                    told[device] = _proposal(device, seconds + shift, one, knows=knows)
        links = [link for link in links if link not in near]
    old = {one.device: one for one in proposals if not one.captures}
    kept = [one for one in proposals if one.device not in told or (one.captures and abs(known[one.device][0]) <= AGREE)]
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
