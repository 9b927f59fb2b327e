"""What a brush, a fill or a measure may ask of a surface, whatever its sites are."""

from typing import Protocol

from ashblend.core.arrays import F32, I32
from ashblend.core.sites.grid import HashGrid
from ashblend.core.sites.weld import Weld


class Sites(Protocol):
    """Places that hold channel values.

    A *site* has storage of its own; a *point* is one or more sites at the same position
    (see `weld`). Brushes reach for points and write to all their sites, so a UV seam never
    shows in the paint. Where nothing is shared, as with terrain texels, points are sites.

    positions, normals: (sites, 3) float32. areas: (sites,) float32, square metres that the
    site stands for; they sum to the surface's area.
    """

    positions: F32
    normals: F32
    areas: F32
    weld: Weld

    @property
    def count(self) -> int: ...

    @property
    def point_positions(self) -> F32:
        """(points, 3) metres."""
        ...

    @property
    def point_normals(self) -> F32:
        """(points, 3) unit, area-weighted over the point's sites."""
        ...

    @property
    def fans(self) -> tuple[I32, I32]:
        """CSR of the surface around each point: offsets (points+1,), pairs (k, 2).

        Each pair is the other two corners, as points, of one triangle at the point.
        """
        ...

    def neighbours(self) -> tuple[I32, I32]:
        """CSR (offsets (points+1,), point indices): points that share an edge."""
        ...

    def grid(self, radius: float) -> HashGrid:
        """A spatial index over the points with cells fit for the radius."""
        ...

    def within(self, centre: F32, radius: float) -> I32:
        """Points no farther than radius (metres) from centre (3,), in no particular order."""
        ...
