"""Kinds of value: what a site holds in one channel."""
