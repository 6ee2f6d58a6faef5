"""The Levels station: gates, triggers and clocks in volts and in time."""
