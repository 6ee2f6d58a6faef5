"""The Circuit station: what is built between, from the requirement to parts, trimmers and spread."""
