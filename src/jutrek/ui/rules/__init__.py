"""The House rules page: how a library files and names, composed by eye and tried at once."""
