"""The Doubles page: what a library has more than once, side by side, and its tray."""
