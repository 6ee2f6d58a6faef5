"""The exponential converter: V/oct at its input, Hz/V at its output, of real parts."""
