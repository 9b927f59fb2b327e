"""Terrain: dabs on cells, a recipe over all of them, water."""

import resource
from functools import partial
from uuid import UUID

import numpy as np

from ashblend.core.arrays import F32
from ashblend.core.brush.document import Brush, PointerSample
from ashblend.core.brush.stroke import Stroke
from ashblend.core.channels.channel import empty_channel
from ashblend.core.progress import silent
from ashblend.core.sets.document import ChannelDocument, ChannelSetDocument
from ashblend.core.surface.kinds.cells import CellSites
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.shapes import shape_of
from ashblend.core.surface.undercoat import measured
from ashblend.core.survey.protocol import Ground
from ashblend.core.survey.upstream import UPSTREAM, UpstreamMeasure
from ashblend.core.survey.water import WATER, WaterMeasure
from ashblend.core.terrain.frame import terrain_mesh
from ashblend.core.terrain.terrain import terrain_of
from ashblend.launch.bench.ground import spread, timed
from ashblend.launch.bench.recipes import recipe_over

RADII = (16, 128, 512)
DABS = 24


def hills(edge: int) -> F32:
    """(edge, edge) metres of rolling ground with pits in it."""
    line = np.arange(edge, dtype=np.float32)
    rough = np.random.default_rng(0).standard_normal((edge, edge)).astype(np.float32)
    return 30 * np.sin(line / 90)[None] * np.cos(line / 70)[:, None] + 0.2 * rough


def terrain(edge: int) -> None:
    """edge: cells along an edge, and heights one more."""
    import time

    shape = shape_of(terrain_mesh(terrain_of(hills(edge + 1), 1.0)))
    kind = CellSites(rows=edge, cols=edge)
    sites = kind.sites(shape)
    for radius in RADII:
        channel = empty_channel(sites.layout.extent)
        brush = Brush(radius=float(radius), falloff="flat", coat="many", flow=0.02, strength=1, reach="ball")
        stroke = Stroke(sites, channel, 0, brush)
        times, step = [], brush.spacing * radius * 1.0001
        for number in range(DABS + 4):
            place = PointerSample(position=(number * step - radius, 0, 0), normal=(0, 1, 0))
            began = time.perf_counter()
            stroke.extend([place])
            times.append(time.perf_counter() - began)
        began = time.perf_counter()
        sizes = sum(delta.sites.nbytes for delta in stroke.finish())
        ended = time.perf_counter() - began
        print(
            f"  dabs of radius {radius:3d} on {edge}², with undo: {spread(times[4:])}; its end {1e3 * ended:6.1f} ms, {sizes / 1e6:.1f} MB of sites",
            flush=True,
        )
    document = ChannelSetDocument(name="Bench", channels=(ChannelDocument(name="R"),))
    found = OpenSet(UUID(int=0), kind, document, 0, [empty_channel(sites.layout.extent)], sites)
    before = _peak()
    timed(
        f"slope × height × noise as an undercoat, {edge}² cells",
        lambda: measured(shape, {}, found, recipe_over(-10.0, 20.0, 40.0), lambda _, __: {}),
    )
    print(f"    {_peak() - before:.0f} MB more at most", flush=True)
    ground = Ground(hills(edge), 1.0)
    small = Ground(hills(64), 1.0)
    for measure, settings in ((WATER, WaterMeasure()), (UPSTREAM, UpstreamMeasure())):
        work = measure.over
        assert work is not None
        work(small, settings, silent)
        timed(f"{settings.title.lower()} over {edge}²", partial(work, ground, settings, silent))
    print(f"    {_peak() - before:.0f} MB more at most", flush=True)


def _peak() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
