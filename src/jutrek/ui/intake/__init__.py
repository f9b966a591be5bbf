"""The Intake page: from, when, lands in."""
