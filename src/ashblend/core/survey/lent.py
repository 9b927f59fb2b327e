"""A channel that a measure is made from: of the surface itself, of a level of it, or of another surface."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated
from uuid import UUID

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from ashblend.core.arrays import F32, F64, U32, Ids
from ashblend.core.sites.patch import Places
from ashblend.core.sites.protocol import Sites


class ChannelOf(BaseModel):
    """surface: whose channel; None for the one that is measured. stands: that surface is taken to be where it stands around
    the one that is measured, not on the same origin.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    surface: UUID | None = None
    channel_set: UUID
    channel: Annotated[int, Field(ge=0, le=3)] = 0
    stands: bool = False


@dataclass(frozen=True, eq=False)
class Lent:
    """What a channel held when it was asked for.

    weights: tells (k,) 0..1 by numbers of sites. positions: (n, 3) in metres of the surface that is measured, and
    triangles: (m, 3), of the mesh that the sites lie on, perhaps several times over. places: where on that mesh
    triangles (k,) and shares (k, 3) are.
    """

    sites: Sites
    weights: Callable[[Ids], F64]
    positions: F32 | F64
    triangles: U32
    places: Callable[[U32, F64], Places]

    def at(self, places: Places) -> F64:
        """(k,) 0..1 at places of the lender's mesh."""
        sample = self.sites.sample(places)
        held = self.weights(sample.sites.reshape(-1)).reshape(sample.sites.shape)
        return np.asarray((held * sample.shares).sum(axis=1))
