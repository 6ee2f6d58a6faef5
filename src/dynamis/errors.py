"""The one kind of error that is meant for people: a sentence, shown as it is."""

from __future__ import annotations


class InputError(ValueError):
    """A question that cannot be answered as it was put.

    The message is one sentence: what is wrong, the value found, what would be right, in the user's
    words and units.  The command line prints it and ends with status 2; the window shows it where
    the value was typed.
    """
