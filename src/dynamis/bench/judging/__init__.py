"""The judging of links: whether an output and an input fit, why not, and what to do."""
