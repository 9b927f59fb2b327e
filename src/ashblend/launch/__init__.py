"""Starting things: the private database, the server, the sample, the benchmarks."""
