"""Digital-to-analogue conversion: codes for wanted volts, the volts a code makes, linearity."""
