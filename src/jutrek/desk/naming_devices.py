"""What a library's devices are called, and who carries them, changed together with what rests on it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

from jutrek.captures import Device
from jutrek.errors import LibraryMissing, reason
from jutrek.library import Library, keep_devices, known_devices
from jutrek.library.catalogue import Narrowed
from jutrek.transfer.saying import Words, say

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger


def change_devices(library: Library, ledger: Ledger, devices: Iterable[Device]) -> int:
    """Keep what devices are called. Where another person carries one, what it made is said to be theirs.

    Files of which somebody said another person stay theirs. A re-filing follows.

    Returns:
        Of how many files another person was said.

    Raises:
        LibraryMissing: when the list cannot be written.
        PageBroken: when the list is damaged.
        LibraryBusy: when another Jutrek is at work in the library.
    """
    before, new = known_devices(library), list(devices)
    try:
        keep_devices(library, new)
    except OSError as error:
        raise LibraryMissing(library.root, f"its devices can't be written: {reason(error)}") from error
    count = 0
    for device in new:
        old = before.get(device.key)
        if old is not None and old.operator != device.operator:
            made = Narrowed(device=old.key, operator=old.operator)
            own = [one.path for one in ledger.catalogue.all_of(made)]
            count += say(library, ledger, own, Words(person=device.operator)) if own else 0
    return count
