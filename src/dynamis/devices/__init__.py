"""Meters and DAC boards, real and simulated, behind the same small interfaces."""
