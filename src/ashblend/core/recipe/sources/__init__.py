"""What a term can begin with: one file for each, and one line in the union and the registry of registry.py."""
