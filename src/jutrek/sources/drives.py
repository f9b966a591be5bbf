"""Cards and drives that come and go: UDisks2 on the system D-Bus, else the mount table.

Interfaces, methods and properties are those of the UDisks2 D-Bus reference (org.freedesktop.UDisks2.Block, Filesystem,
Drive). A connection is opened for each question; only `Watch` keeps one, in a thread of its own.
"""

from __future__ import annotations

import ctypes
import os
import select
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any

from jutrek.disk import patiently
from jutrek.errors import DriveBusy, DriveTrouble
from jutrek.sources.mounts import MEDIA_FOLDERS, mounts

_NAME = "org.freedesktop.UDisks2"
_ROOT = "/org/freedesktop/UDisks2"
_OBJECTS = "org.freedesktop.DBus.ObjectManager"
_TIMEOUT = 60.0
"""Seconds for an answer: unmounting writes out what is left."""
_LOOK_EVERY = 0.5
_BUSY = f"{_NAME}.Error.DeviceBusy"
_NOT_MOUNTED = f"{_NAME}.Error.NotMounted"


@dataclass(frozen=True, slots=True)
class Drive:
    """A file system on a medium that comes and goes.

    Attributes:
        id: its object's path on the bus; without UDisks2 its mount point.
        drive: the path of the device that it is in; empty without UDisks2.
        device: its node, such as `/dev/sdb1`.
        label: what it is called.
        uuid: of its file system.
        filesystem: its type.
        size: in bytes; 0 where it is not known.
        mount: where it is mounted; empty where it is not.
        name: vendor and model of the device.
        removable: whether the medium comes and goes.
        ejectable, can_power_off: how it may be let go.
        read_only: whether it cannot be written.
    """

    id: str
    drive: str
    device: str
    label: str
    uuid: str
    filesystem: str
    size: int
    mount: str
    name: str = ""
    removable: bool = True
    ejectable: bool = False
    can_power_off: bool = False
    read_only: bool = False

    @property
    def title(self) -> str:
        """What to call it."""
        return self.label or os.path.basename(self.mount) or self.name or self.device


def drives_now() -> list[Drive]:
    """The media that are there now, mounted or not, ordered by their ids."""
    try:
        objects = _call(_ROOT, _OBJECTS, "GetManagedObjects")[0]
    except DriveTrouble:
        return _of_mount_table()
    return sorted(_of_objects(objects), key=lambda drive: drive.id)


def drive_at(path: str) -> Drive | None:
    """The medium that a path lies on; None where it is on none that comes and goes."""
    real = os.path.realpath(path)
    holding = [one for one in drives_now() if one.mount and f"{real}/".startswith(f"{one.mount.rstrip('/')}/")]
    return max(holding, key=lambda one: len(one.mount), default=None)


def mount(drive: Drive) -> str:
    """Mount a medium. Returns where.

    Raises:
        DriveTrouble: when that is refused.
    """
    return str(_call(drive.id, f"{_NAME}.Filesystem", "Mount", "a{sv}", {})[0])


def let_go(drive: Drive) -> str:
    """Write out what is left, unmount a medium, and switch its device off or eject it.

    Returns:
        A sentence: that it may be pulled, and how it was let go.

    Raises:
        DriveBusy: when something still uses it.
        DriveTrouble: when it is refused for another reason, or UDisks2 is not running.
    """
    if not drive.drive:
        raise DriveTrouble(drive.title, "UDisks2 is not running here; unmount it by hand")
    _flush(drive.mount)
    if drive.mount:
        _call(drive.id, f"{_NAME}.Filesystem", "Unmount", "a{sv}", {}, title=drive.title)
    for able, word, how in ((drive.can_power_off, "PowerOff", "switched off"), (drive.ejectable, "Eject", "ejected")):
        if able:
            _call(drive.drive, f"{_NAME}.Drive", word, "a{sv}", {}, title=drive.title)
            return f"{drive.title} is unmounted and {how}. It may be pulled."
    return f"{drive.title} is unmounted. It may be pulled."


class Watch:
    """Tells whenever media come or go, from a thread of its own."""

    def __init__(self, tell: Callable[[list[Drive]], None]) -> None:
        """
        Args:
            tell: given all media that are there, at first and after every change.
        """
        self._tell = tell
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._work, name="drives", daemon=True)
        self._thread.start()

    def end(self) -> None:
        """Tell nothing any more. The thread ends on its own."""
        self._stop.set()

    def close(self) -> None:
        """End, and wait for the thread."""
        self.end()
        self._thread.join()

    def _work(self) -> None:
        before: list[Drive] | None = None
        for drives in self._changes():
            if drives != before and not self._stop.is_set():
                before = drives
                self._tell(drives)

    def _changes(self) -> Any:
        """All media, at first and whenever something may have changed."""
        yield drives_now()
        try:
            with _connection() as connection:
                _listen(connection)
                yield drives_now()
                while not self._stop.is_set():
                    if _heard(connection):
                        yield drives_now()
                return
        except (DriveTrouble, OSError):
            pass
        yield from self._changes_of_mounts()

    def _changes_of_mounts(self) -> Any:
        """Without UDisks2: the kernel tells of changes in the mount table (proc(5))."""
        with open("/proc/self/mountinfo", "rb") as table:
            poll = select.poll()
            poll.register(table, select.POLLERR | select.POLLPRI)
            # What came before anybody listened is told by no change.
            yield drives_now()
            while not self._stop.is_set():
                if poll.poll(_LOOK_EVERY * 1000):
                    yield drives_now()


def _connection() -> Any:
    """A connection to the system bus.

    Raises:
        DriveTrouble: when there is none.
    """
    from jeepney.io.blocking import open_dbus_connection

    try:
        return open_dbus_connection("SYSTEM")
    except (OSError, KeyError, ValueError) as error:
        raise DriveTrouble("", f"there is no system bus ({error})") from error


def _call(path: str, interface: str, member: str, signature: str | None = None, *body: Any, title: str = "") -> Any:
    """Ask UDisks2. Returns the body of the answer.

    Raises:
        DriveTrouble: when there is no answer, or it is an error.
    """
    from jeepney import DBusAddress, HeaderFields, MessageType, new_method_call

    with _connection() as connection:
        message = new_method_call(DBusAddress(path, _NAME, interface), member, signature, body)
        try:
            answer = connection.send_and_get_reply(message, timeout=_TIMEOUT)
        except (OSError, TimeoutError) as error:
            raise DriveTrouble(title, f"UDisks2 does not answer ({error})") from error
    if answer.header.message_type is not MessageType.error:
        return answer.body
    name = str(answer.header.fields.get(HeaderFields.error_name, ""))
    if name == _NOT_MOUNTED:
        return ()
    words = str(answer.body[0]) if answer.body else name
    raise DriveBusy(title) if name == _BUSY else DriveTrouble(title, words)


def _listen(connection: Any) -> None:
    from jeepney import MatchRule, message_bus
    from jeepney.io.blocking import Proxy

    Proxy(message_bus, connection).AddMatch(MatchRule(type="signal", sender=_NAME, path_namespace=_ROOT))


def _heard(connection: Any) -> bool:
    """Whether a signal came within a moment; those that came with it are taken together."""
    heard, wait = False, _LOOK_EVERY
    while True:
        try:
            connection.receive(timeout=wait)
        except TimeoutError:
            return heard
        heard, wait = True, 0.05


def _of_objects(objects: Mapping[str, Mapping[str, Mapping[str, Any]]]) -> list[Drive]:
    found = []
    for path, interfaces in objects.items():
        block, system = interfaces.get(f"{_NAME}.Block"), interfaces.get(f"{_NAME}.Filesystem")
        if block is None or system is None or _value(block, "HintIgnore", False):
            continue
        drive_path = str(_value(block, "Drive", "/"))
        device = objects.get(drive_path, {}).get(f"{_NAME}.Drive", {})
        removable = bool(_value(device, "Removable", False) or _value(device, "MediaRemovable", False))
        if not device or not (removable or _value(device, "ConnectionBus", "") in ("usb", "sdio", "ieee1394")):
            continue
        points = [_text(point) for point in _value(system, "MountPoints", [])]
        name = f"{_value(device, 'Vendor', '')} {_value(device, 'Model', '')}".strip()
        found.append(
            Drive(
                path, drive_path, _text(_value(block, "Device", b"")), str(_value(block, "IdLabel", "")),
                str(_value(block, "IdUUID", "")), str(_value(block, "IdType", "")), int(_value(block, "Size", 0)),
                points[0] if points else "", name, removable, bool(_value(device, "Ejectable", False)),
                bool(_value(device, "CanPowerOff", False)), bool(_value(block, "ReadOnly", False)),
            )
        )  # fmt: skip
    return found


def _of_mount_table() -> list[Drive]:
    found = []
    for one in mounts():
        if one.point.startswith(MEDIA_FOLDERS):
            try:
                room = patiently(f"room of {one.point}", partial(os.statvfs, one.point))
            except OSError:
                continue
            size, name = room.f_blocks * room.f_frsize, os.path.basename(one.point)
            found.append(
                Drive(one.point, "", one.device, name, "", one.filesystem, size, one.point, read_only=one.read_only)
            )
    return sorted(found, key=lambda drive: drive.id)


def _value(properties: Mapping[str, Any], name: str, usual: Any) -> Any:
    """The value of a property, which comes with its signature."""
    found = properties.get(name)
    return found[1] if isinstance(found, tuple) else usual


def _text(data: Any) -> str:
    """A path as it is sent: bytes that end in a zero."""
    return os.fsdecode(bytes(data).rstrip(b"\0"))


def _flush(path: str) -> None:
    """Write out all that waits for a file system (syncfs(2))."""
    if not path:
        return
    try:
        fd = os.open(path, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    except OSError:
        return
    try:
        ctypes.CDLL(None).syncfs(fd)
    finally:
        os.close(fd)
