"""Sources: cards, devices, folders and inboxes, turned into files. Nothing here ever writes."""

from jutrek.sources.scan import Left, SourceFile, scan
from jutrek.sources.source import Medium, Source, known_source

__all__ = ["Left", "Medium", "Source", "SourceFile", "known_source", "scan"]
