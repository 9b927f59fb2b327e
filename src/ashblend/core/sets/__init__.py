"""What the artist knows of a channel set: names, locks, undercoats, as documents. The values lie in channels."""
