"""The connected devices: one thread talks to them, so that the window never waits."""
