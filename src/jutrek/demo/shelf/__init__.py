"""One file of each format, small and made up: all of one moment on the Velmora line, told as each format tells it."""

from jutrek.demo.shelf.all import LOCAL, PLACE, UTC, specimens

__all__ = ["LOCAL", "PLACE", "UTC", "specimens"]
