"""What is open, what is looked at, what was read: the one place where changes are applied, stored and announced.

No arithmetic and no rules live here.  Views ask it for changes and listen to what it announces.
"""
