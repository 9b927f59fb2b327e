"""Spatial grids over the points of a surface, kept for the last few radii."""

from collections import OrderedDict

import numpy as np

from ashblend.core.arrays import F32, I32
from ashblend.core.sites.grid import HashGrid, cell_for_radius, gather_within, hash_grid

KEPT_GRIDS = 3


class PointGrids:
    """What all kinds of sites share: who is within a radius."""

    def __init__(self) -> None:
        self._grids: OrderedDict[float, HashGrid] = OrderedDict()

    @property
    def point_positions(self) -> F32:
        raise NotImplementedError

    def grid(self, radius: float) -> HashGrid:
        cell = cell_for_radius(radius)
        found = self._grids.get(cell)
        if found is None:
            found = hash_grid(self.point_positions, cell)
            self._grids[cell] = found
            if len(self._grids) > KEPT_GRIDS:
                self._grids.popitem(last=False)
        self._grids.move_to_end(cell)
        return found

    def within(self, centre: F32, radius: float) -> I32:
        grid = self.grid(radius)
        found = np.empty(self.point_positions.shape[0], np.int32)
        distance = np.empty(self.point_positions.shape[0], np.float32)
        count = gather_within(
            self.point_positions,
            grid.offsets,
            grid.points,
            grid.cell,
            np.asarray(centre, np.float32),
            radius,
            found,
            distance,
        )
        return found[:count].copy()
