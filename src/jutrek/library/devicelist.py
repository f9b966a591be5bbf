"""The library's list of devices: what they are called, their letters and colours, and who carries them.

`LIBRARY/.jutrek/devices.toml`, one table per device, so that a device keeps its letter and colour from one intake to
the next.
"""

from __future__ import annotations

import os
import tomllib
from collections.abc import Iterable
from typing import TYPE_CHECKING

from jutrek.captures import Device
from jutrek.disk import write_own

if TYPE_CHECKING:
    from jutrek.library.identity import Library

_NOTE = "What Jutrek calls the devices of this library. Names, letters and operators may be edited by hand."
SOURCE_ONLY = "source:"


def known_devices(library: Library) -> dict[str, Device]:
    """The library's devices by key. A list that is missing or damaged is an empty one."""
    try:
        with open(_path(library), "rb") as file:
            tables = tomllib.load(file).get("device", [])
        devices = [
            Device(
                str(one["key"]), str(one["name"]), str(one["letter"]), int(one["colour"]), str(one.get("operator", ""))
            )
            for one in tables
        ]
    except (OSError, tomllib.TOMLDecodeError, UnicodeDecodeError, KeyError, ValueError, TypeError, AttributeError):
        return {}
    return {device.key: device for device in devices}


def keep_devices(library: Library, devices: Iterable[Device]) -> None:
    """Keep devices in the list; others that it holds stay. Sources without a known device are not kept.

    Raises:
        OSError: when it cannot be written.
    """
    import tomlkit

    known = known_devices(library)
    merged = known | {device.key: device for device in devices if not device.key.startswith(SOURCE_ONLY)}
    if merged == known:
        return
    page, tables = tomlkit.document(), tomlkit.aot()
    page.add(tomlkit.comment(_NOTE))
    for device in sorted(merged.values(), key=lambda one: (len(one.letter), one.letter, one.key)):
        table = tomlkit.table()
        table.update({
            "key": device.key.encode("utf-8", "replace").decode(), "name": device.name, "letter": device.letter,
            "colour": device.colour, "operator": device.operator,
        })  # fmt: skip
        tables.append(table)
    page.add("device", tables)
    write_own(_path(library), tomlkit.dumps(page).encode())


def _path(library: Library) -> str:
    return os.path.join(library.own, "devices.toml")
