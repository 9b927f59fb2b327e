"""Open surfaces: arrays in memory, one thread each, every window on a surface told of each change."""
