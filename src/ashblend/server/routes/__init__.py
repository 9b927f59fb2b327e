"""HTTP routes, one file for each kind of thing."""
