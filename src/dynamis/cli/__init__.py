"""The command line: asks the core and prints; no arithmetic of its own."""
