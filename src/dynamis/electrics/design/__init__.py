"""Synthesis: from a requirement to part values, what trimmers they need, and what tolerances make of them."""
