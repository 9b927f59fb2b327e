"""The job itself: arrays and documents in, arrays and documents out. No web, no database, no files."""
