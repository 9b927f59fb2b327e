"""Patches and graphs of sites that are points of their own, wherever they lie."""

from collections.abc import Callable

import numpy as np

from ashblend.core.arrays import F32, I32, U32, zero_pages
from ashblend.core.sites.map_places import distances_from
from ashblend.core.sites.patch import NOBODY, Graph, Patch, Points, Window, number_by_row

Fans = Callable[[U32], tuple[I32, U32]]
InnerFans = Callable[[U32, U32], tuple[I32, U32]]


class TexelPatches:
    """window: asks for the places of sites. fans: for CSR starts and the other corners of the triangles at sites; inner: the
    same by rows among those sites, as every dab by skin asks (by two passes it took three times as long).
    """

    def __init__(self, extent: int, window: Callable[[U32], Window], fans: Fans, inner: InnerFans) -> None:
        self._window = window
        self._fans = fans
        self._inner = inner
        self._rows: U32 = zero_pages(extent, np.uint32)

    def patch(self, ids: I32, centre: F32) -> Patch:
        """Sites with their distances from a place."""
        sites = ids.astype(np.uint32)
        window = self._window(sites)
        distances = distances_from(window.positions, centre)
        offsets = np.arange(ids.shape[0] + 1, dtype=np.int32)
        return Patch(ids, offsets, sites, window.positions, window.normals, distances)

    def graph(self, patch: Patch, rim: bool) -> Graph:
        """See `Neighbourhood`."""
        if not rim:
            starts, fans = self._inner(patch.sites, self._rows)
            return Graph(starts, fans.view(np.int32), patch.positions, NOBODY)
        starts, fans = self._fans(patch.sites)
        outside = number_by_row(patch.sites, fans, self._rows, True)
        if not outside.size:
            return Graph(starts, fans.view(np.int32), patch.positions, NOBODY)
        positions = np.concatenate([patch.positions, self._window(outside).positions])
        offsets = np.arange(outside.shape[0] + 1, dtype=np.int32)
        return Graph(starts, fans.view(np.int32), positions, Points(outside.view(np.int32), offsets, outside))


def met(ask: Callable[[I32], int], capacity: int) -> I32:
    """What a search writes into room that it may not have enough of at first. ask: writes, and says how many."""
    while True:
        ids = np.empty(capacity, np.int32)
        count = ask(ids)
        if count <= capacity:
            return ids[:count]
        capacity = 2 * count
