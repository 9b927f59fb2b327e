"""The kinds of layer: one file for each, and one line in the union and the registry of registry.py."""
