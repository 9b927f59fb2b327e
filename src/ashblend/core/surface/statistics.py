"""How much each channel and each layer holds of the surface."""

from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ashblend.core.channels.statistics import ChannelStatistics, set_statistics
from ashblend.core.surface.blend_state import BlendState
from ashblend.core.surface.convert import Sets
from ashblend.core.surface.shape import Shape

SHARE_PLACES = 6000


def channel_facts(sets: Sets) -> dict[UUID, list[ChannelStatistics]]:
    """Of every channel of every set."""
    return {
        ident: set_statistics(found.sites, found.tallies, found.channels) for ident, found in sets.items()
    }


def surface_shares(shape: Shape, sets: Sets, blend: BlendState) -> dict[int, float]:
    """Mean share of each layer over the area, by layer number; of large surfaces, at some of the vertices."""
    sites = shape.vertices()
    # A fixed random choice: even steps would fall in with the rows of a grid.
    chosen: NDArray[np.integer] = (
        np.arange(sites.count)
        if sites.count <= SHARE_PLACES
        else np.random.default_rng(0).choice(sites.count, SHARE_PLACES, replace=False)
    )
    shares = blend.shares(shape, sets, 0, sites.on_surface(chosen.astype(np.uint32))).shares
    areas = sites.areas[chosen].astype(np.float64)
    mean = (areas @ shares) / max(float(areas.sum()), 1e-30)
    return {layer: float(mean[i]) for i, layer in enumerate(blend.tree.layers)}
