"""The bench: the document's types, the commands that change it, its chains, and its runs judged."""
