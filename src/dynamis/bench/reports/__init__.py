"""Reports: what they say, block by block; how they are written is elsewhere."""
