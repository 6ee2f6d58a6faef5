"""Widgets that the views share."""
