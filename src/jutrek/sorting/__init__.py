"""Sorting by hand: piles that count down, folders that take them, and a record that goes on weeks later."""
