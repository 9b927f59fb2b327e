"""Trying hard to break things: damaged files, and servers that are killed. Bounded in the suite, long by ./ash torment."""
