"""Circuits that remember, in parts, for a pitch or a modulation: hold, glide, gated pitch, maximum and minimum."""
