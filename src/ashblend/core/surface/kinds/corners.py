"""The set that holds a terrain's heights, at the corners of its grid: what is painted into it moves the ground."""

from collections.abc import Sequence
from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import Field

from ashblend.core.arrays import U32
from ashblend.core.channels.channel import Channel
from ashblend.core.sites.protocol import Sites
from ashblend.core.surface.kinds.fixed import FixedSites
from ashblend.core.surface.kinds.protocol import MeshChange
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shape import Shape
from ashblend.core.terrain.sites import CORNERS, TerrainSites

Edge = Annotated[int, Field(ge=2, le=8193)]


class CornerSites(FixedSites):
    """As many corners as the terrain has heights. The first channel is the height."""

    files: ClassVar[tuple[str, ...]] = ()
    removable: ClassVar[bool] = False
    steers: ClassVar[bool] = True

    kind: Literal["corners"] = "corners"
    rows: Edge
    cols: Edge

    def sites(self, shape: Shape) -> Sites:
        """Raises ValueError on what is no terrain."""
        return shape.grid(self.rows, self.cols, CORNERS)

    def require_addable(self, _: Shape) -> None:
        raise Refusal("A terrain has its heights once.", "Add a set of cells.")

    def note(self, _: Shape) -> str:
        return ""

    def steer(
        self, shape: Shape, sites: Sites, channels: Sequence[Channel], changed: U32 | None = None
    ) -> bool:
        """See `FixedSites`."""
        assert isinstance(sites, TerrainSites)
        moved = False
        tiles = [changed] if changed is not None else map(sites.in_tile, range(sites.layout.tiles))
        for here in tiles:
            cols, rows = sites.column_and_row(here)
            moved = shape.steered(rows, cols, channels[0].values(here)) or moved
        return moved

    def after(self, _: MeshChange) -> Self:
        return self

    def moved(self, channels: tuple[Channel, ...], _: MeshChange, __: Any) -> tuple[Channel, ...] | None:
        return channels
