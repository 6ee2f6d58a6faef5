"""What goes between, and what to do about a pair that does not fit."""
