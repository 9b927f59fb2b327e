"""What a brush, a fill or a measure may ask of a surface, whatever its sites are.

Nobody who asks is told how sites are kept, and nobody needs to know which kind they are: a kind that
computes its positions, or has no seams to weld, answers the same questions.
"""

from collections.abc import Callable, Iterator
from typing import Protocol

import numpy as np

from ashblend.core.arrays import F32, F64, I32, U32, Mask
from ashblend.core.sites.layout import Layout
from ashblend.core.sites.patch import Graph, Patch, Places, Sample, Window


class Neighbourhood(Protocol):
    """Answers about parts of a surface, with working memory of its own. One thread at a time."""

    def ball(self, centre: F32, radius: float) -> Patch:
        """Points no farther than radius (metres) from centre (3,)."""
        ...

    def graph(self, patch: Patch, rim: bool) -> Graph:
        """Who is next to whom in a patch; with the rim, those just outside too."""
        ...


class Sites(Protocol):
    """Places that hold channel values.

    count: how many. layout: how they are numbered, and cut into tiles; numbers may have gaps.
    """

    @property
    def count(self) -> int: ...

    @property
    def layout(self) -> Layout: ...

    def neighbourhood(self) -> Neighbourhood: ...

    def window(self, sites: U32) -> Window:
        """Positions, normals and areas of some sites."""
        ...

    def in_tile(self, tile: int) -> U32:
        """The sites of a tile, ascending."""
        ...

    def on_surface(self, sites: U32) -> Places:
        """Where on the mesh some sites lie."""
        ...

    def sample(self, places: Places) -> Sample:
        """How values at places of the mesh follow from what these sites hold, as the picture shows them."""
        ...

    def on_faces(self, faces: Mask) -> Callable[[U32], Mask]:
        """Tells of sites whether they lie on any of chosen triangles (m,)."""
        ...

    def faces_of(self, sites: U32) -> Mask:
        """(m,) the triangles that show any of some sites."""
        ...

    def border(self, faces: Mask) -> U32:
        """Sites where chosen triangles meet others."""
        ...

    def open_edges(self) -> U32:
        """Sites on edges that only one triangle has. Raises ValueError where there is no telling."""
        ...

    def image(self, read: Callable[[U32], F64]) -> F64:
        """Values as a picture (rows, columns) that lies on the map, padded beside it.

        Raises ValueError where sites do not lie on one.
        """
        ...

    def everything(self) -> tuple[Patch, Graph]:
        """All points and who is next to whom, for work on the whole surface."""
        ...

    def shown_by(self, sites: U32) -> tuple[U32, U32]:
        """Numbers that show the values of some sites besides themselves, and whose value each shows."""
        ...

    def shown_by_tile(self, tile: int) -> tuple[U32, U32]:
        """Numbers in a tile that are no sites but show the value of one, and of which."""
        ...


_NOWHERE = np.empty((0, 3), np.float32)


def window_of(sites: Sites, tile: int, bare: bool = False) -> Window | None:
    """The sites of a tile, None where it has none. bare: without their places: looking these up takes longer than asking what
    is told by number.
    """
    here = sites.in_tile(tile)
    if not here.size:
        return None
    return Window(here, _NOWHERE, _NOWHERE, _NOWHERE[:, 0]) if bare else sites.window(here)


def windows(sites: Sites) -> Iterator[Window]:
    """All sites, tile by tile."""
    for tile in range(sites.layout.tiles):
        window = window_of(sites, tile)
        if window is not None:
            yield window


def point_rows(patch: Patch) -> I32:
    """(sites of the patch,) the row of each site's point."""
    return np.repeat(np.arange(patch.ids.shape[0], dtype=np.int32), patch.offsets[1:] - patch.offsets[:-1])
