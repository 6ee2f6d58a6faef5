"""Reports as files: HTML, PDF and CSV, without a window."""
