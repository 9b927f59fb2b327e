"""What windows ask of a surface: how much each channel and layer holds, and what is at a place."""

from collections.abc import Mapping
from uuid import UUID

import numpy as np

from ashblend.core.blend import SurfaceInputs
from ashblend.core.brush import Reach
from ashblend.core.channels import Channel, channel_statistics
from ashblend.core.sites import MeshVertices
from ashblend.server.live.blend_state import BlendState, set_weights
from ashblend.server.live.messages import ChannelFacts, CoreSample, LayerAtPlace, Probe, Statistics

SHARE_PLACES = 6000
Sets = Mapping[UUID, list[Channel]]


def surface_statistics(
    sites: MeshVertices, inputs: SurfaceInputs, sets: Sets, blend: BlendState
) -> Statistics:
    """Coverage and histograms of all channels, and each layer's share of the surface."""
    channels = {}
    for ident, members in sets.items():
        facts = [channel_statistics(c.values(), sites.areas) for c in members]
        channels[ident] = [
            ChannelFacts(coverage=f.coverage, touched=f.touched, histogram=list(f.histogram)) for f in facts
        ]
    return Statistics(channels=channels, shares=_surface_shares(sites, inputs, sets, blend))


def _surface_shares(
    sites: MeshVertices, inputs: SurfaceInputs, sets: Sets, blend: BlendState
) -> dict[int, float]:
    """Mean share of each layer over the area, by layer number; of large surfaces, at some of the sites."""
    count = sites.count
    # A fixed random choice: even steps would fall in with the rows of a grid.
    chosen = (
        np.arange(count)
        if count <= SHARE_PLACES
        else np.random.default_rng(0).choice(count, SHARE_PLACES, replace=False)
    )
    weights = {ident: set_weights(members, chosen) for ident, members in sets.items()}
    shares = blend.shares(inputs, inputs.at_sites(chosen), weights).shares
    areas = sites.areas[chosen].astype(np.float64)
    mean = (areas @ shares) / max(float(areas.sum()), 1e-30)
    return {layer: float(mean[i]) for i, layer in enumerate(blend.tree.layers)}


def core_sample(
    message: Probe,
    sites: MeshVertices,
    inputs: SurfaceInputs,
    sets: Sets,
    blend: BlendState,
    reach: Reach,
) -> CoreSample:
    """Height, slope, channel values and every layer's share at a place inside a triangle."""
    place = inputs.on_triangle(message.triangle, message.barycentric)
    corners = inputs.triangles[message.triangle]
    at = np.array(message.barycentric)
    weights = {ident: at[None] @ set_weights(members, corners) for ident, members in sets.items()}
    answer = blend.shares(inputs, place, weights)
    normal = place["normal"][0]
    points, _ = reach.around(place["position"][0], normal, message.radius, message.facing_limit)
    offsets = sites.weld.offsets
    return CoreSample(
        number=message.number,
        height=float(place["position"][0, 1]),
        slope=float(np.degrees(np.arccos(np.clip(normal[1], -1, 1)))),
        values={ident: w[0, : len(sets[ident])].tolist() for ident, w in weights.items()},
        layers=[
            LayerAtPlace(layer=layer, weight=float(answer.weights[0, i]), share=float(answer.shares[0, i]))
            for i, layer in enumerate(blend.tree.layers)
        ],
        sites_under_brush=int((offsets[points + 1] - offsets[points]).sum()),
    )
