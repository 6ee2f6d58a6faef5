"""MIDI output ports: the ALSA sequencer's, JACK's, and raw ones that are files."""
