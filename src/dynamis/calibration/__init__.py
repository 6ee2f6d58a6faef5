"""From readings to a verdict and a correction: fits, uncertainty, the shape of the errors, corrections."""
