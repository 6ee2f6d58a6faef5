"""Synthesis: from a wish to part values, what trimmers they need, and what tolerances make of them."""
