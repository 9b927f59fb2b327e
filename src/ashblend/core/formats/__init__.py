"""Formats: bytes to a `Mesh`, heights or weights and back. One for meshes is one file and one line in registry.py."""
