"""Sets on the cells of a terrain: splat maps."""

from typing import Annotated, Any, Literal, Self

from pydantic import Field

from ashblend.core.channels.channel import Channel
from ashblend.core.sites.layout import SIDE
from ashblend.core.sites.protocol import Sites
from ashblend.core.surface.kinds.fixed import FixedSites
from ashblend.core.surface.kinds.protocol import MeshChange
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shape import Shape
from ashblend.core.terrain.sites import CELLS

MOST_CELLS = 8192
# Cells along the longer edge that a set may be added with.
EDGES = (512, 1024, 2048, 4096, 8192)
Edge = Annotated[int, Field(ge=2, le=MOST_CELLS)]


class CellSites(FixedSites):
    """rows × cols cells over the whole terrain."""

    kind: Literal["cells"] = "cells"
    rows: Edge = 1024
    cols: Edge = 1024

    @classmethod
    def along(cls, longest: int, rows: int, cols: int) -> Self:
        """Over a terrain of rows × cols heights: whole squares of SIDE along the shorter edge, so that cells come out about
        as wide as long.
        """
        most = max(rows, cols) - 1

        def cells(count: int) -> int:
            return max(SIDE, -(-longest * (count - 1) // (most * SIDE)) * SIDE)

        return cls(rows=cells(rows), cols=cells(cols))

    @property
    def files(self) -> tuple[str, ...]:
        return ("png", "tiff", "npy", "raw")

    def sites(self, shape: Shape) -> Sites:
        """Raises ValueError on what is no terrain."""
        return shape.grid(self.rows, self.cols, CELLS)

    def require_addable(self, shape: Shape) -> None:
        """Raises Refusal where an artist cannot add such a set."""
        try:
            self.sites(shape)
        except ValueError as error:
            raise Refusal(str(error), "Add a set on vertices or on a map.") from error

    def note(self, _: Shape) -> str:
        """What an artist should know who has added such a set."""
        return ""

    def after(self, _: MeshChange) -> Self:
        """Where the set lies on the changed surface."""
        return self

    def moved(self, channels: tuple[Channel, ...], _: MeshChange, __: Any) -> tuple[Channel, ...] | None:
        """The channels on the changed surface: cells span the whole, whatever lies under them."""
        return channels
