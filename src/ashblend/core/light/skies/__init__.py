"""One file a sky."""
