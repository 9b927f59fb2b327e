"""What a stroke can do. A new act is one new file and one line in registry.py."""
