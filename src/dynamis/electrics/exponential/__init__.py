"""Converters of the law, V/oct to Hz/V (exponential) and back (logarithmic), of real parts."""
