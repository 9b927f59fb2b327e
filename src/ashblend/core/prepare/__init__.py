"""Preparing a mesh for painting: measuring it, refining it, grouping its faces, carrying paint over."""
