"""The document: its types, the records of runs, the commands that change them, and what they are held to."""
