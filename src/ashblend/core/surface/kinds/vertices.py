"""Sets on the vertices of a level of detail."""

from collections.abc import Sequence
from typing import Annotated, Any, ClassVar, Literal, Self
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from ashblend.core.arrays import U32
from ashblend.core.channels.channel import Channel
from ashblend.core.channels.moved import moved_channel
from ashblend.core.formats.registry import writings
from ashblend.core.sites.protocol import Sites
from ashblend.core.surface.kinds.protocol import MeshChange
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shape import Shape


class VertexSites(BaseModel):
    """Vertices of a level of detail. follows: on a lower level, the set of level 0 it is carried from."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    removable: ClassVar[bool] = True
    # Whether the surface follows what the set holds.
    steers: ClassVar[bool] = False

    kind: Literal["vertices"] = "vertices"
    level: Annotated[int, Field(ge=0, le=15)] = 0
    follows: UUID | None = None

    def sites(self, shape: Shape) -> Sites:
        return shape.vertices(self.level)

    @property
    def files(self) -> tuple[str, ...]:
        """What such a set can be exported as."""
        return tuple(writings())

    @property
    def followed(self) -> bool:
        """Whether a set here has sets on the lower levels that it is carried down to."""
        return self.level == 0

    @property
    def hardens(self) -> bool:
        """Whether faces can be given a hard border for a fill: sites can be split."""
        return True

    @property
    def finer(self) -> bool:
        """Whether values here are finer than the mesh, so that it can be refined to them."""
        return False

    def shown_on(self, level: int) -> bool:
        return self.level == level

    def steer(self, _: Shape, __: Sites, ___: Sequence[Channel], ____: U32 | None = None) -> bool:
        """Let the surface follow what the set holds, at some sites or all; whether it moved."""
        return False

    def require_addable(self, shape: Shape) -> None:
        """Raises Refusal where an artist cannot add such a set."""
        shape.require_mesh()
        if self.level:
            raise Refusal("Sets are added to level 0; levels follow.", "Choose level 0.")

    def note(self, _: Shape) -> str:
        """What an artist should know who has added such a set."""
        return ""

    def after(self, _: MeshChange) -> Self:
        """Where the set lies on the changed mesh."""
        return self

    def moved(self, channels: tuple[Channel, ...], change: MeshChange, _: Any) -> tuple[Channel, ...] | None:
        """The channels on the changed mesh; None where the set has no place there."""
        lineage = change.lineages.get(self.level, ())
        return tuple(moved_channel(lineage, channel) for channel in channels) if lineage else channels
