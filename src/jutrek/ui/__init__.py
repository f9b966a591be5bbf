"""The window. The only room that knows Qt; it draws boards and passes wishes on to sessions."""

from jutrek.ui import imports as imports  # Before anything else is imported.
from jutrek.ui import overrides as overrides  # Before any class of the window is made.
