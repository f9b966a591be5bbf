"""Sorting by hand: piles at the left, pictures in the middle, the folders that take them at the right."""
