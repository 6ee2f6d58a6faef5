"""The Circuit station: what is built between, from the wish to parts, trimmers and spread."""
