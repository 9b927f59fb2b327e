"""Ways to group faces. A new way is one new file and one line in grouping.py."""
