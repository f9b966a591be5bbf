"""What lies in the folders of the demo's jobs: pictures, and the versions of working files."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import datetime, timedelta

from jutrek.demo import scenes, stills

_SIZE = (480, 320)
CAPTURES: Mapping[str, tuple[tuple[datetime, str, int], ...]] = {
    "0115": ((datetime(2026, 9, 8, 8, 20), "track", 6),),
    "0116": ((datetime(2026, 10, 4, 10, 5), "bridge", 7), (datetime(2026, 10, 4, 15, 40), "steam", 3)),
    "0117": ((datetime(2026, 11, 14, 9, 10), "depot", 5), (datetime(2026, 11, 14, 11, 30), "track", 4)),
}
"""When, what, and how many, by the numbers of jobs."""
WORK: Mapping[str, tuple[str, ...]] = {
    "0115": ("2 work/0115_rail-unloading_RK_v02.otio", "3 drafts/rail-unloading v01.txt"),
    "0116": ("2 work/0116_opening-day_LM_v02.otio", "2 work/0116_opening-day_LM_v03.otio", "4 handed over/notes.txt"),
    "0117": (
        "2 work/0117_winter-depot_RK_v04.otio", "2 work/0117_winter-depot_RK_v05.otio",
        "2 work/0117_winter-depot_LM_v05.otio", "2 work/0117_winter-depot_RK_v06.otio",
        "2 work/graphics/title card_LM_v01.svg", "2 work/graphics/title card_LM_v02.svg",
        "2 work/graphics/title card final.svg", "2 work/music/sound mix_RK_v01.txt", "3 drafts/order of shots.txt",
    ),
}  # fmt: skip
"""Working files below the folders of jobs, by the jobs' numbers."""


def pictures(number: str) -> Iterator[tuple[str, bytes]]:
    """Pictures of a job: the name of each, and its bytes."""
    seed = int(number) * 100
    for begin, motif, count in CAPTURES[number]:
        for at in range(count):
            local = begin + timedelta(minutes=7 * at, seconds=13 * at)
            picture = scenes.draw(motif if motif in scenes.MOTIFS else scenes.MOTIFS[0], local.hour, seed + at, _SIZE)
            yield (
                f"{local:%Y%m%d_%H%M%S}.jpg",
                stills.jpeg(picture, stills.Shot(local, "Arlen", "M2", "A2-1"), quality=76),
            )
        seed += 50
