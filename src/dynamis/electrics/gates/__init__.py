"""Gates, triggers and clocks: levels against thresholds, and the circuits that make them fit."""
