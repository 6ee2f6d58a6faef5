"""Which note to read next, and when enough is read."""
