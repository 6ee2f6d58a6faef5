"""Clocks, triggers and rows of steps in time: when something is up, what comes of two of them, who steps when."""
