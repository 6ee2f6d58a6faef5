"""The Play station: a song through a converter, against time."""
