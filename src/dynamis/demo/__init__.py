"""The demo bench: an invented puppet theatre's sound desk, with invented equipment."""
