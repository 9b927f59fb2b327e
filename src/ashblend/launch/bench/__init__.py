"""Measures what is promised to be fast, all in one run on this machine, and prints it.

The mesh is a square of rippled ground, two triangles a vertex, 1 cm between vertices.
Times are wall times; the median and the 95th percentile of many repetitions after a warm-up.
"""

import os
import sys

from ashblend.launch.bench.core import acts, dabs, meshes, on_texels, to_a_mask
from ashblend.launch.bench.ground import TOUCHED
from ashblend.launch.bench.recipes import recipes
from ashblend.launch.bench.survey import survey
from ashblend.launch.bench.terrain import terrain
from ashblend.launch.bench.wire import growth, over_the_wire, terrain_over_the_wire


def bench(vertices: int) -> None:
    print(f"Ash Blend benchmarks: {os.cpu_count()} processors, Python {sys.version.split()[0]}")
    print(
        f"\nBrush in core (bar: one dab over {TOUCHED:,} of 1,000,000 sites under 2 ms, flat when the mesh grows)"
    )
    for size in (vertices // 4, vertices, 4 * vertices):
        dabs(size, TOUCHED)
    dabs(vertices, 10 * TOUCHED)
    print("\nActs that look around them (costs follow the touched sites)")
    acts(vertices, TOUCHED)
    acts(vertices, 10 * TOUCHED)
    print("\nTexels of a map (bar: 24 bytes a site)")
    on_texels(2048)
    on_texels(4096)
    print("\nRecipes (bar: four times the noise alone)")
    recipes(4096)
    print("\nTerrain")
    terrain(4096)
    print("\nSurvey (bars: 80 % of Embree's own rays; 2 s a measure; a ramp's frame in 30 ms)")
    survey(vertices)
    print("\nPreparing")
    meshes(vertices)
    to_a_mask()
    print("\nOver the wire (bar: pen event to values, p95 under 8 ms)")
    over_the_wire(vertices)
    print("\nTerrain over the wire (bar: pen event to values, p95 under 8 ms)")
    terrain_over_the_wire(4096)
    print("\nGrowth")
    growth(vertices // 4, 10_000)
