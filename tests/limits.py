"""How long tests wait for what must come.

No test asks for a wall time: a machine may be slow, or busy with other things. What is awaited is awaited until it
comes, and only a hang reaches the limit.
"""

# Seconds.
HANG = 240.0
