"""Ash Blend: paint weights on a surface, blend materials by them, export in open formats."""
