"""What stands around a surface: other surfaces of the project, to look at and to measure by; nothing of them is painted here."""

from typing import Annotated
from uuid import UUID

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from ashblend.core.arrays import F32
from ashblend.core.sites.mesh import Mesh
from ashblend.core.surface.shape import Shape

MOST_NEIGHBOURS = 16
Metres = Annotated[FiniteFloat, Field(ge=-1e6, le=1e6)]


class Neighbour(BaseModel):
    """x, z: where its origin stands, in metres of the surface. above: the surface there, or zero beside it. turn: degrees
    about up, from +Z towards +X. own: its origin is the surface's, as
    their files have it, whatever x, z and above say.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    surface: UUID
    x: Metres = 0.0
    z: Metres = 0.0
    above: Metres = 0.0
    turn: Annotated[FiniteFloat, Field(ge=-360, le=360)] = 0.0
    own: bool = False


class Surroundings(BaseModel):
    """The same surface may stand in several places."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    neighbours: Annotated[tuple[Neighbour, ...], Field(max_length=MOST_NEIGHBOURS)] = ()


def placed(positions: F32, at: tuple[float, float, float], turn: float) -> F32:
    """(n, 3) in metres of the surface. at: where its origin stands. turn: degrees, as of a neighbour."""
    angle = np.radians(turn)
    x, y, z = positions.astype(np.float64).T
    turned = (x * np.cos(angle) + z * np.sin(angle), y, z * np.cos(angle) - x * np.sin(angle))
    return (np.stack(turned, axis=-1) + at).astype(np.float32)


def placed_corners(mesh: Mesh, at: tuple[float, float, float], turn: float) -> F32:
    """(triangles, 3, 3); see `placed`."""
    return placed(mesh.positions, at, turn)[mesh.triangles]


def stands_at(shape: Shape, neighbour: Neighbour) -> tuple[float, float, float]:
    """Where its origin is, in metres of the surface."""
    if neighbour.own:
        return 0.0, 0.0, 0.0
    under = shape.height_over(neighbour.x, neighbour.z)
    return neighbour.x, (under or 0.0) + neighbour.above, neighbour.z
