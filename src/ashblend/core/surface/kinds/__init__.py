"""Which sites of a surface a channel set lies on: one file for each kind, and one line in registry.py."""
