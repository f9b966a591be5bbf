"""Sources: cards, devices, folders and inboxes, turned into files. Nothing here ever writes."""

from jutrek.sources.mounts import MEDIA_FOLDERS, Mount, filesystem_of, mounts
from jutrek.sources.scan import Left, SourceFile, scan
from jutrek.sources.source import Medium, Source, known_source

__all__ = [
    "MEDIA_FOLDERS",
    "Left",
    "Medium",
    "Mount",
    "Source",
    "SourceFile",
    "filesystem_of",
    "known_source",
    "mounts",
    "scan",
]
