"""Height maps as files: one file a format, and one line in read.py."""
