"""Gear as it is edited: its fields, the library of generic kinds, the commands that change it."""
