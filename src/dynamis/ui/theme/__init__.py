"""Colours, type and style of the window."""
