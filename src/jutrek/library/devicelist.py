"""The library's list of devices: what they are called, their letters and colours, and who carries them.

`LIBRARY/.jutrek/devices.toml`, one table per device, so that a device keeps its letter and colour from one intake to
the next.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

from jutrek.disk import own
from jutrek.errors import PageBroken
from jutrek.library.pagefiles import tables_text

if TYPE_CHECKING:
    from jutrek.captures import Device
    from jutrek.library.identity import Library

_NOTE = "What Jutrek calls the devices of this library. Names, letters and operators may be edited by hand."
_LIST = own("devices.toml")
SOURCE_ONLY = "source:"


def known_devices(library: Library) -> dict[str, Device]:
    """The library's devices by key. An entry that is damaged is left out; see `damaged_devices`."""
    return {device.key: device for device in _listed(library)[0]}


def damaged_devices(library: Library) -> list[str]:
    """A sentence for every entry of the list of devices that is damaged."""
    return _listed(library)[1]


def _listed(library: Library) -> tuple[list[Device], list[str]]:
    # Here, since who only asks for a library needs no captures.
    from jutrek.captures import Device
    from jutrek.library import pages

    found, bad = pages.listed(pages.LISTED_DEVICE, library.tree, _LIST, "device")
    devices = [
        Device(one["key"], one["name"], one["letter"], one["colour"], one.get("operator", "")) for one in found
    ]  # fmt: skip
    return devices, bad


def keep_devices(library: Library, devices: Iterable[Device]) -> None:
    """Keep devices in the list; others that it holds stay. Sources without a known device are not kept.

    Raises:
        OSError: when it cannot be written.
        PageBroken: when the list is damaged: what it says would be lost.
    """
    listed, bad = _listed(library)
    known = {device.key: device for device in listed}
    merged = known | {device.key: device for device in devices if not device.key.startswith(SOURCE_ONLY)}
    if merged == known:
        return
    if bad:
        raise PageBroken(library.tree.at(_LIST), f"it has to be put right before it is written: {bad[0]}")
    tables = (
        {
            "key": device.key.encode("utf-8", "replace").decode(), "name": device.name, "letter": device.letter,
            "colour": device.colour, "operator": device.operator,
        }
        for device in sorted(merged.values(), key=lambda one: (len(one.letter), one.letter, one.key))
    )  # fmt: skip
    library.tree.write_own(_LIST, tables_text(_NOTE, "device", tables))
