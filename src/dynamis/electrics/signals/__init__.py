"""Circuits that remember, as transfers of signals in time: comparators, stretchers, glides, holds, gated pitch."""
