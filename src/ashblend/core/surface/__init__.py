"""An open surface: its shape and channel sets, and what strokes, fills, probes and changes of the mesh do to them."""
