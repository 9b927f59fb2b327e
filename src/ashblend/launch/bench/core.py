"""The core alone: dabs, maps, changed meshes."""

import gc
import time
from pathlib import Path
from typing import Literal

import numpy as np

from ashblend.core.arrays import F32
from ashblend.core.brush.document import ActName, Brush, PointerSample
from ashblend.core.brush.fills.height import HeightFill
from ashblend.core.brush.stroke import Stroke
from ashblend.core.channels.channel import channel_of_values, empty_channel
from ashblend.core.channels.moved import moved_channel
from ashblend.core.prepare.carry import carry_over
from ashblend.core.prepare.refine import refine_levels, refine_to_mask, refine_to_spacing
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.sites.protocol import Sites
from ashblend.core.sites.uv_texels import UVTexels
from ashblend.launch.bench.ground import SPACING, TOUCHED, ground, radius_for, spread, timed

REACHES: tuple[Literal["ball", "skin"], ...] = ("ball", "skin")


def _stroke(sites: Sites, brush: Brush, start: F32 | None, extent: float, dabs: int) -> str:
    """Dabs along a straight stroke on the ripples: how many sites each reached, and how long it took."""
    channel = empty_channel(sites.layout.extent) if start is None else channel_of_values(start)
    stroke = Stroke(sites, channel, 0, brush)
    times, touched = [], []
    for repetition in range(dabs):
        x, z = 0.2 * extent + 1.0001 * brush.spacing * brush.radius * repetition, 0.5 * extent
        sample = PointerSample(position=(x, 0.02 * np.sin(9 * x) * np.cos(7 * z), z), normal=(0, 1, 0))
        began = time.perf_counter()
        touched.append(stroke.extend([sample]).size)
        times.append(time.perf_counter() - began)
    stroke.abandon()
    return f"{int(np.median(touched)):6,} of {sites.count:10,} sites   {spread(times[dabs // 5 :])}"


def dabs(vertices: int, reached: int) -> None:
    """One dab after another along a stroke, each reaching about so many sites."""
    sites = mesh_vertices(ground(vertices))
    extent = float(sites.positions[:, 0].max())
    for reach in REACHES:
        # Many coats with a flat falloff: every dab changes every site that it reaches.
        brush = Brush(
            radius=radius_for(reached), falloff="flat", coat="many", flow=0.01, strength=1, reach=reach
        )
        print(f"  one dab, {reach}, {_stroke(sites, brush, None, extent, 30)}", flush=True)


def acts(vertices: int, reached: int) -> None:
    """Dabs of the acts that look around them, on fresh ground each."""
    sites = mesh_vertices(ground(vertices))
    extent = float(sites.positions[:, 0].max())
    start = (0.5 + 0.5 * np.sin(40 * sites.positions[:, 0])).astype(np.float32)
    names: tuple[ActName, ...] = ("paint", "smooth", "sharpen", "smear")
    for act in names:
        brush = Brush(act=act, radius=radius_for(reached), falloff="flat", coat="many", flow=0.05, strength=1)
        print(f"  {act:8s} by skin, {_stroke(sites, brush, start, extent, 20)}", flush=True)


def _resident() -> int:
    """Bytes of memory that this process has now."""
    for line in Path("/proc/self/status").read_text().splitlines():
        if line.startswith("VmRSS"):
            return int(line.split()[1]) * 1024
    return 0


def on_texels(size: int) -> None:
    """A stroke on a map of size² texels."""
    mesh = ground(10_000)
    sites = mesh_vertices(mesh)
    gc.collect()
    before = _resident()
    texels = timed(f"make {size}² texels of a map", lambda: UVTexels(mesh, sites.normals, size))
    timed("and its seams, gutter and index, once", lambda: (texels.links, texels.gutter, texels.tree))
    extent = float(mesh.positions[:, 0].max())
    radius = (TOUCHED / np.pi) ** 0.5 * extent / size
    for reach in REACHES:
        brush = Brush(radius=radius, coat="many", flow=0.05, strength=1, falloff="flat", reach=reach)
        print(f"  one dab, {reach}, {_stroke(texels, brush, None, extent, 40)}", flush=True)
    gc.collect()
    own = (_resident() - before) / texels.count
    channels = [empty_channel(texels.layout.extent) for _ in range(4)]
    for channel in channels:
        channel.cover += 1
        channel.paint += 1
    full = (_resident() - before) / texels.count
    print(f"    {own:.1f} bytes a site; {full:.1f} with four channels painted everywhere", flush=True)


def meshes(vertices: int) -> None:
    """Refining and carrying over."""
    mesh = ground(125_000)
    triangles = mesh.triangles.shape[0]
    timed(f"refine {triangles:,} triangles by a level", lambda: refine_levels(mesh, 1, 10**7))
    timed(
        f"refine {triangles:,} triangles to two thirds of their spacing",
        lambda: refine_to_spacing(mesh, SPACING * 0.95, 10**7),
    )
    large = ground(vertices)
    sites = mesh_vertices(large)
    moved = large.positions + np.array([0.0031, 0.0004, 0.0017], np.float32)
    carried = timed(
        f"find where {vertices:,} vertices lie on as many old ones",
        lambda: carry_over(large, moved, sites.normals),
    )
    channels = [channel_of_values(np.zeros(large.vertex_count, np.float32)) for _ in range(4)]
    timed(
        "and move four channels there",
        lambda: [moved_channel(carried.lineage, channel) for channel in channels],
    )


def to_a_mask() -> None:
    """The slipway refined to a narrow border, against refining everywhere."""
    from ashblend.demo.slipway import slipway

    mesh = slipway()
    band = HeightFill(low=-5, high=0.1, soft=0.02, rough=0.5, rough_metres=1.2)
    found = timed(
        f"refine the slipway, {mesh.vertex_count:,} vertices, to a rough tide line 2 cm wide",
        lambda: refine_to_mask(mesh, lambda places: band.at(places.positions), 0.2, 0.005, 10**7),
    )
    after = found.refined.mesh.vertex_count
    more = "" if found.uniform_levels is not None else "more than "
    print(
        f"    {after:,} vertices, largest error {found.worst:.3f}; everywhere it would take {more}"
        f"{found.uniform_vertices:,}: {found.uniform_vertices / after:.1f} times as many",
        flush=True,
    )
