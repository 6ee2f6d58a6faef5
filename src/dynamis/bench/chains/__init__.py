"""What a link does to a note: its transfers in a row, the node it ends in, tunings."""
