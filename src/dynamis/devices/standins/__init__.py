"""Simulated devices: one world behind a SCPI meter on loopback and a DAC board on a pseudo-terminal."""
