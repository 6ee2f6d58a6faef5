"""The Chain station: a pitch link as a nomogram, its error over the range, and what the error is made of."""
