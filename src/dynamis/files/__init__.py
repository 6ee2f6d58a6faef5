"""Files in and out: the bench file, readings as CSV, JSON, reports."""
