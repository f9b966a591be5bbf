"""Sources: cards, devices, folders and inboxes, turned into files. Nothing here ever writes."""

from jutrek.sources.drives import Drive, Watch, drive_at, drives_now, let_go, mount
from jutrek.sources.mounts import MEDIA_FOLDERS, Mount, disk_of, filesystem_of, mounts, volume_of
from jutrek.sources.scan import Left, SourceFile, scan
from jutrek.sources.source import Medium, Source, is_card, known_source

__all__ = [
    "MEDIA_FOLDERS",
    "Drive",
    "Left",
    "Medium",
    "Mount",
    "Source",
    "SourceFile",
    "Watch",
    "disk_of",
    "drive_at",
    "drives_now",
    "filesystem_of",
    "is_card",
    "known_source",
    "let_go",
    "mount",
    "mounts",
    "scan",
    "volume_of",
]
