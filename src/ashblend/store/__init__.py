"""Keeping everything in PostgreSQL: documents with revisions, arrays as tiles, strokes as a journal."""
