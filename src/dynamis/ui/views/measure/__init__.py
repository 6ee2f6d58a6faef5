"""Measure: a guided run, its errors, what they say, and the ways to correct."""
