"""What a few readings teach of a port that has no data sheet, each value with its uncertainty."""
