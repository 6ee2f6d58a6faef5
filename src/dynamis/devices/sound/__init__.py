"""Sound as it comes in, and what is read from it: frequency."""
