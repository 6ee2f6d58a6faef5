"""Dialogs: each returns a plain value."""
