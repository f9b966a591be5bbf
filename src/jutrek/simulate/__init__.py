"""A simulated card reader: cards that appear, are slow, fail, and are pulled. It needs the extra `simulate`."""
