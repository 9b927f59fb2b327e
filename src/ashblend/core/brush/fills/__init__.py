"""What can be done to a whole channel, or to part of it. A new fill is one new file and one line in fill.py."""
