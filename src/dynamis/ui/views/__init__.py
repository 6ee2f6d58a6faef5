"""The stations."""
