"""Codes: the converter's range and what each note gets."""
