"""HTTP and sockets over the core and the store."""
