"""The Bench station: what would happen if an output met an input."""
