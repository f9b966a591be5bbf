"""A stand-in for UDisks2 on a bus of one's own, with simulated cards and drives.

It answers what `jutrek.sources.drives` asks, by the same names, signatures and errors as the real service: managed
objects, signals, Mount, Unmount, Eject, PowerOff. What a card does when it is mounted or let go is the caller's.
"""

import asyncio
import re
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated

from dbus_fast import BusType, DBusError, PropertyAccess
from dbus_fast.aio import MessageBus
from dbus_fast.annotations import DBusBool, DBusBytes, DBusDict, DBusObjectPath, DBusSignature, DBusStr, DBusUInt64
from dbus_fast.service import ServiceInterface, dbus_method, dbus_property

NAME = "org.freedesktop.UDisks2"
ROOT = "/org/freedesktop/UDisks2"
_Paths = Annotated[list[bytes], DBusSignature("aay")]


@dataclass(slots=True)
class Card:
    """A simulated medium.

    Attributes:
        label: what it is called.
        mount: where it is mounted; empty while it is not.
        size: in bytes.
        filesystem: its type.
        can_power_off: whether it is a drive with a switch; else it is ejected.
        busy: whether unmounting is refused.
    """

    label: str
    mount: str
    size: int = 64 * 10**9
    filesystem: str = "exfat"
    can_power_off: bool = False
    busy: bool = False


class _Block(ServiceInterface):
    def __init__(self, card: Card, device: str, drive: str) -> None:
        super().__init__(f"{NAME}.Block")
        self._card, self._device, self._drive = card, device, drive

    @dbus_property(PropertyAccess.READ)
    def Device(self) -> DBusBytes:
        return self._device.encode() + b"\0"

    @dbus_property(PropertyAccess.READ)
    def Drive(self) -> DBusObjectPath:
        return self._drive

    @dbus_property(PropertyAccess.READ)
    def IdLabel(self) -> DBusStr:
        return self._card.label

    @dbus_property(PropertyAccess.READ)
    def IdUUID(self) -> DBusStr:
        return f"{zlib.crc32(self._card.label.encode()):08X}"

    @dbus_property(PropertyAccess.READ)
    def IdType(self) -> DBusStr:
        return self._card.filesystem

    @dbus_property(PropertyAccess.READ)
    def Size(self) -> DBusUInt64:
        return self._card.size

    @dbus_property(PropertyAccess.READ)
    def ReadOnly(self) -> DBusBool:
        return False

    @dbus_property(PropertyAccess.READ)
    def HintIgnore(self) -> DBusBool:
        return False


class _Filesystem(ServiceInterface):
    def __init__(self, card: Card, told: Callable[[str, Card], None]) -> None:
        super().__init__(f"{NAME}.Filesystem")
        self._card, self._told = card, told
        self._mount = card.mount

    @dbus_property(PropertyAccess.READ)
    def MountPoints(self) -> _Paths:
        return [self._card.mount.encode() + b"\0"] if self._card.mount else []

    @dbus_method()
    def Mount(self, options: DBusDict) -> DBusStr:
        self._card.mount = self._mount
        self._told("Mount", self._card)
        self.emit_properties_changed({"MountPoints": self.MountPoints})
        return self._mount

    @dbus_method()
    def Unmount(self, options: DBusDict) -> None:
        if self._card.busy:
            raise DBusError(f"{NAME}.Error.DeviceBusy", "Error unmounting: target is busy")
        if not self._card.mount:
            raise DBusError(f"{NAME}.Error.NotMounted", "Device is not mounted")
        self._told("Unmount", self._card)
        self._card.mount = ""
        self.emit_properties_changed({"MountPoints": self.MountPoints})


class _Drive(ServiceInterface):
    def __init__(self, card: Card, leave: Callable[[str], None]) -> None:
        super().__init__(f"{NAME}.Drive")
        self._card, self._leave = card, leave

    @dbus_property(PropertyAccess.READ)
    def Removable(self) -> DBusBool:
        return True

    @dbus_property(PropertyAccess.READ)
    def Ejectable(self) -> DBusBool:
        return not self._card.can_power_off

    @dbus_property(PropertyAccess.READ)
    def CanPowerOff(self) -> DBusBool:
        return self._card.can_power_off

    @dbus_property(PropertyAccess.READ)
    def Vendor(self) -> DBusStr:
        return "Skarv"

    @dbus_property(PropertyAccess.READ)
    def Model(self) -> DBusStr:
        return "Simulated reader"

    @dbus_property(PropertyAccess.READ)
    def ConnectionBus(self) -> DBusStr:
        return "usb"

    @dbus_method()
    def Eject(self, options: DBusDict) -> None:
        self._leave("Eject")

    @dbus_method()
    def PowerOff(self, options: DBusDict) -> None:
        self._leave("PowerOff")


class Service:
    """The stand-in: cards are put in and pulled out. All of it in one event loop."""

    def __init__(self, told: Callable[[str, Card], None] = lambda _what, _card: None) -> None:
        """
        Args:
            told: hears of every method that is called on a card.
        """
        self._told = told
        self._bus: MessageBus | None = None
        self._paths: dict[str, tuple[str, str]] = {}

    async def begin(self, address: str) -> None:
        """Take the name on the bus at an address."""
        self._bus = await MessageBus(bus_address=address, bus_type=BusType.SYSTEM).connect()
        # An object at the top, so that the objects below it are managed.
        self._bus.export(ROOT, ServiceInterface(f"{NAME}.Manager"))
        await self._bus.request_name(NAME)

    def put_in(self, card: Card) -> None:
        """A card appears."""
        assert self._bus is not None
        name = re.sub(r"\W", "_", card.label, flags=re.ASCII)
        block, drive = f"{ROOT}/block_devices/{name}", f"{ROOT}/drives/{name}"
        self._paths[card.label] = block, drive
        self._bus.export(drive, _Drive(card, lambda what: self._leave(what, card)))
        self._bus.export(block, _Block(card, f"/dev/{name.lower()}1", drive))
        self._bus.export(block, _Filesystem(card, self._told))

    def pull_out(self, card: Card) -> None:
        """A card is gone, whether it was let go or not."""
        assert self._bus is not None
        for path in self._paths.pop(card.label, ()):
            self._bus.unexport(path)

    def end(self) -> None:
        """Leave the bus."""
        if self._bus is not None:
            self._bus.disconnect()

    def _leave(self, what: str, card: Card) -> None:
        self._told(what, card)
        asyncio.get_running_loop().call_later(0.05, self.pull_out, card)
