"""Skerry Station: an invented tidal island, all of it made by the generators here."""
