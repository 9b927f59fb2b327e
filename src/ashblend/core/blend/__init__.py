"""The blend: its document, and its way to one expression tree."""
