"""Measures of a mesh: rays beside a bare Embree loop, the rest by the clock, a ramp dragged over one."""

import resource
import time
from functools import partial
from uuid import uuid4

import numpy as np

from ashblend.core.arrays import F32, F64
from ashblend.core.channels.channel import empty_channel
from ashblend.core.progress import silent
from ashblend.core.recipe.document import Recipe, Term
from ashblend.core.runner import threaded
from ashblend.core.sets.document import ChannelDocument, ChannelSetDocument
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.kinds.vertices import VertexSites
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.shape import Shape
from ashblend.core.surface.undercoat import previewed
from ashblend.core.survey.body import Body
from ashblend.core.survey.cavity import CavityMeasure
from ashblend.core.survey.distance import DistanceMeasure
from ashblend.core.survey.occlusion import OcclusionMeasure
from ashblend.core.survey.rays import Spots
from ashblend.core.survey.registry import MEASURES
from ashblend.launch.bench.ground import ground, spread, timed
from ashblend.server.live.frames import full_frame

# Rays that the bare loop and ours are given alike.
SITES, RAYS = 100_000, 64


def _rays(body: Body) -> None:
    """Seconds of Embree alone on all cores for rays that were made before, and of the whole measure over them."""
    asked: list[tuple[F32, F32]] = []

    def keep(_: slice, origins: F32, directions: F32, far: F32) -> F64:
        asked.append((origins.copy(), directions.copy()))
        return np.zeros(far.shape[0] // RAYS)

    spots = Spots(body.positions[:SITES], body.normals[:SITES], body.spots.numbers[:SITES])
    body.alone.over(body.alone.distances, spots, spots.normals, RAYS, 0.0, True, body.lift, keep, silent)
    began = time.perf_counter()
    threaded(lambda rays: body.alone.distances(*rays), asked)
    bare = time.perf_counter() - began
    asked.clear()

    def share(_: slice, __: F32, ___: F32, far: F32) -> F64:
        return np.asarray((far >= 2.0).reshape(-1, RAYS).mean(axis=1), np.float64)

    began = time.perf_counter()
    body.alone.over(body.alone.distances, spots, spots.normals, RAYS, 0.0, True, body.lift, share, silent)
    ours = time.perf_counter() - began
    count = spots.places.shape[0] * RAYS
    print(
        f"  {count / 1e6:.1f} M rays: Embree alone {count / bare / 1e6:.1f} M a second, with all of occlusion "
        f"{count / ours / 1e6:.1f} M ({bare / ours:.0%})",
        flush=True,
    )


def survey(vertices: int) -> None:
    """Each measure over a mesh, first alone, then its ramp dragged."""
    mesh = ground(vertices)
    sites = mesh_vertices(mesh)
    body = Body(mesh, sites)
    began = time.perf_counter()
    _ = body.alone
    print(f"  scene of {len(mesh.triangles):,} triangles: {time.perf_counter() - began:.2f} s", flush=True)
    _rays(body)
    rough = OcclusionMeasure().rough
    assert rough is not None
    wanted = {"occlusion, rough": rough, "cavity": CavityMeasure()} | {
        kind: measure.document.fitted(body.size)[0]
        for kind, measure in MEASURES.items()
        if measure.on is not None
        and kind not in ("cavity", "occlusion", "openness", "thickness")
        # What has to be picked first is not measured here.
        and not measure.document.model_validate({}).lacks
    }
    small = ground(2_500)
    for name, settings in wanted.items():
        work = MEASURES[settings.kind].on
        assert work is not None
        work(Body(small, mesh_vertices(small)), settings, silent)
        timed(f"{name} over {sites.count:,}", partial(work, body, settings, silent))
    _ramp(Shape(mesh))
    print(f"    {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB at most", flush=True)


def _ramp(shape: Shape) -> None:
    """A ramp over a measure at hand is dragged: values worked out and put into a frame."""
    sites = shape.vertices()
    document = ChannelSetDocument(name="Set", channels=(ChannelDocument(name="R"),))
    found = OpenSet(uuid4(), VertexSites(), document, 0, [empty_channel(sites.count)], sites)
    on = ChannelAddress(channel_set=found.id, channel=0)
    source = DistanceMeasure(way="straight")
    times = []
    for step in range(40):
        recipe = Recipe(terms=(Term(source=source, low=0.0, high=0.5 + 0.01 * step),))
        began = time.perf_counter()
        channel = previewed(shape, {found.id: found}, on, recipe, lambda _, __: {})
        shown = OpenSet(found.id, found.kind, document, 0, [channel], sites)
        full_frame(0, shown, [0])
        times.append(time.perf_counter() - began)
    print(f"  ramp dragged at {sites.count:,} sites, to its frame   {spread(times[5:])}", flush=True)
