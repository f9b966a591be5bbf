"""Outboxes: plain folders of small copies, kept in step with a view. What Jutrek did not make there is not touched."""
