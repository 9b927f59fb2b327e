"""Terrain: heights on a grid, where places on it lie, and the sites of its channel sets.

Registration: heights are point samples at grid corners, so that 1025² at 1 m spans 1024 m; splat texels are cells, and
the centre of a cell is where it samples the heights.
"""
