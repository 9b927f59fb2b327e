"""What windows ask of a surface: how much each channel and layer holds, and what is at a place."""

from collections.abc import Mapping
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F64
from ashblend.core.channels import channel_statistics
from ashblend.core.sites import UVTexels
from ashblend.server.live.blend_state import BlendState, set_weights
from ashblend.server.live.messages import ChannelFacts, CoreSample, LayerAtPlace, Probe, Statistics
from ashblend.server.live.open_set import OpenSet
from ashblend.server.live.open_shape import OpenShape

SHARE_PLACES = 6000
Sets = Mapping[UUID, OpenSet]


def surface_statistics(shape: OpenShape, sets: Sets, blend: BlendState) -> Statistics:
    """Coverage and histograms of all channels, and each layer's share of the surface."""
    channels: dict[UUID, list[ChannelFacts]] = {}
    for ident, found in sets.items():
        channels[ident] = []
        for channel in found.channels:
            facts = channel_statistics(channel.values(), found.sites.areas)
            channels[ident].append(
                ChannelFacts(
                    coverage=facts.coverage,
                    own=float((channel.cover > 0).mean()),
                    touched=facts.touched,
                    histogram=list(facts.histogram),
                )
            )
    return Statistics(channels=channels, shares=_surface_shares(shape, sets, blend))


def _texel_weights(found: OpenSet, texels: UVTexels, uv: F64) -> F64:
    """Weights (k, 4) of a set of texels at places (k, 2) of the map; outside of it nothing."""
    site = texels.site_in_map(uv)
    weights = set_weights(found.channels, np.maximum(site, 0))
    weights[site < 0] = 0
    return weights


def _surface_shares(shape: OpenShape, sets: Sets, blend: BlendState) -> dict[int, float]:
    """Mean share of each layer over the area, by layer number; of large surfaces, at some of the vertices."""
    sites, inputs = shape.vertices(), shape.inputs()
    # A fixed random choice: even steps would fall in with the rows of a grid.
    chosen: NDArray[np.integer] = (
        np.arange(sites.count)
        if sites.count <= SHARE_PLACES
        else np.random.default_rng(0).choice(sites.count, SHARE_PLACES, replace=False)
    )
    places = inputs.at_sites(chosen)
    weights = {}
    for ident, found in sets.items():
        if isinstance(found.sites, UVTexels):
            weights[ident] = _texel_weights(found, found.sites, places["uv"])
        elif found.level == 0:
            weights[ident] = set_weights(found.channels, chosen)
    shares = blend.shares(inputs, places, weights).shares
    areas = sites.areas[chosen].astype(np.float64)
    mean = (areas @ shares) / max(float(areas.sum()), 1e-30)
    return {layer: float(mean[i]) for i, layer in enumerate(blend.tree.layers)}


def _weights_at(
    level: int, sets: Sets, corners: NDArray[np.integer], at: F64, uv: F64
) -> tuple[dict[UUID, F64], dict[UUID, F64]]:
    """Weights (1, 4) at a place: of every set shown on a level, and by the ids that the blend knows."""
    own, known = {}, {}
    for ident, found in sets.items():
        if isinstance(found.sites, UVTexels):
            value = _texel_weights(found, found.sites, uv)
        elif found.level == level:
            value = at[None] @ set_weights(found.channels, corners)
        else:
            continue
        own[ident] = value
        known[found.follows or ident] = value
    return own, known


def core_sample(
    message: Probe, shape: OpenShape, sets: Sets, blend: BlendState, brushed: OpenSet
) -> CoreSample:
    """Height, slope, channel values and every layer's share at a place inside a triangle."""
    inputs = shape.inputs(message.level)
    place = inputs.on_triangle(message.triangle, message.barycentric)
    corners = inputs.triangles[message.triangle]
    at = np.array(message.barycentric)
    own, known = _weights_at(message.level, sets, corners, at, place["uv"])
    answer = blend.shares(inputs, place, known)
    normal = place["normal"][0]
    reach = brushed.reach(message.reach)
    points, _ = reach.around(place["position"][0], normal, message.radius, message.facing_limit)
    offsets = brushed.sites.weld.offsets
    return CoreSample(
        number=message.number,
        height=float(place["position"][0, 1]),
        slope=float(np.degrees(np.arccos(np.clip(normal[1], -1, 1)))),
        values={ident: w[0, : len(sets[ident].channels)].tolist() for ident, w in own.items()},
        layers=[
            LayerAtPlace(layer=layer, weight=float(answer.weights[0, i]), share=float(answer.shares[0, i]))
            for i, layer in enumerate(blend.tree.layers)
        ],
        sites_under_brush=int((offsets[points + 1] - offsets[points]).sum()),
    )
