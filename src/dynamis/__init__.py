"""Dynamis: measure, correct and prove pitch and gate signals at the bench."""

__version__ = "0.2.0"
