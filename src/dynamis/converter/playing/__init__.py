"""MIDI into voltages against time: a song's messages, the voices that they sound, clocks, and the signals of the
jacks."""
