"""Channels: an undercoat with paint over it, sixteen bits each, and what can be said of them."""
