"""Runs judged: errors, corrections, proof, what a board holds."""
