"""Measures of a surface: one file for each, and one line in registry.py. Worked out once, at sites, as undercoats."""
