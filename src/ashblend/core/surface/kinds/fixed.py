"""What kinds of sites have in common that are the same on every level and follow nothing."""

from collections.abc import Sequence
from typing import ClassVar
from uuid import UUID

from pydantic import BaseModel, ConfigDict

from ashblend.core.arrays import U32
from ashblend.core.channels.channel import Channel
from ashblend.core.sites.protocol import Sites
from ashblend.core.surface.shape import Shape


class FixedSites(BaseModel):
    """See `VertexSites` for what a kind answers."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    # Whether the surface is whole without it.
    removable: ClassVar[bool] = True
    # Whether the surface follows what the set holds.
    steers: ClassVar[bool] = False

    @property
    def files(self) -> tuple[str, ...]:
        """What such a set can be exported as."""
        return ("png",)

    @property
    def level(self) -> int:
        return 0

    @property
    def follows(self) -> UUID | None:
        return None

    @property
    def followed(self) -> bool:
        return False

    @property
    def hardens(self) -> bool:
        return False

    @property
    def finer(self) -> bool:
        return True

    def shown_on(self, _: int) -> bool:
        """Every level has the same map."""
        return True

    def steer(self, _: Shape, __: Sites, ___: Sequence[Channel], ____: U32 | None = None) -> bool:
        """Let the surface follow what the set holds, at some sites or all; whether it moved."""
        return False
