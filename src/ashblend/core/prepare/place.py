"""How large a mesh is and how it stands.

GLB is in metres with Y up (glTF 2.0, section 3.4). PLY and OBJ say neither: there the unit and the axis are guessed,
shown against a person of 1.8 m, and changed by the artist, before or after.

Tried for the axis: the share of faces that look along it (misled by tubes and by flat signs); the smallest extent alone
(misled by posts, which stand). What most files have in common is that things rest on zero and are centred on the other
two axes; where nothing does, the smaller extent is up.
"""

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from ashblend.core.arrays import F32, F64
from ashblend.core.sites.mesh import Mesh

Axis = Literal["x", "y", "z"]
# Longest extents, in file units, that a thing in metres, then in centimetres, is hardly ever beyond.
MOST_METRES, MOST_CENTIMETRES = 30.0, 3000.0
RESTS, CENTRED = 0.02, 0.1
# Longest sides, in metres, at which nobody need be asked.
USUAL = (0.02, 500.0)
# Sizes that can be painted, in metres.
SMALLEST, LARGEST = 1e-4, 1e6


class Placing(BaseModel):
    """metres_per_unit: of the file's unit. up: the file's axis that points up."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    metres_per_unit: Annotated[FiniteFloat, Field(ge=1e-6, le=1e6)] = 1.0
    up: Axis = "y"

    @property
    def changes_nothing(self) -> bool:
        return self.metres_per_unit == 1 and self.up == "y"

    @property
    def matrix(self) -> F64:
        """(3, 3): scale, and the turn that brings the up axis to Y."""
        return self.metres_per_unit * TURNS[self.up]


# Rotations, so that nothing is mirrored: a quarter turn about X, or about Z.
TURNS: dict[Axis, F64] = {
    "y": np.eye(3),
    "z": np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]),
    "x": np.array([[0.0, -1, 0], [1, 0, 0], [0, 0, 1]]),
}


def is_usual(longest: float) -> bool:
    """Whether a longest side in metres is one that things have."""
    return USUAL[0] <= longest <= USUAL[1]


def extent_standing(mesh: Mesh, up: Axis) -> list[float]:
    """Across, up and deep in the mesh's own unit, with one of its axes up."""
    extent = mesh.positions.max(axis=0).astype(np.float64) - mesh.positions.min(axis=0)
    return [float(value) for value in np.abs(TURNS[up]) @ extent]


def _rests_on_zero(low: F64, high: F64, axis: int) -> bool:
    extent = high - low
    others = [a for a in range(3) if a != axis]
    rests = abs(low[axis]) <= RESTS * max(extent[axis], 1e-12) and high[axis] > 0
    return rests and all(abs(low[a] + high[a]) <= CENTRED * max(extent[a], 1e-12) for a in others)


def guess_placing(mesh: Mesh) -> Placing:
    """What the unit and the up axis of a file without either most likely are."""
    low = mesh.positions.min(axis=0).astype(np.float64)
    high = mesh.positions.max(axis=0).astype(np.float64)
    extent = high - low
    longest = float(extent.max())
    # Ground is wide and low, and wide in metres.
    ground = longest > MOST_METRES and float(extent.min()) < 0.15 * longest
    unit = 1.0
    if not ground and longest > MOST_METRES:
        unit = 0.01 if longest <= MOST_CENTIMETRES else 0.001
    standing = [axis for axis, number in (("y", 1), ("z", 2)) if _rests_on_zero(low, high, number)]
    up: Axis = "y"
    if standing == ["z"] or (len(standing) != 1 and extent[2] < 0.67 * extent[1]):
        up = "z"
    return Placing(metres_per_unit=unit, up=up)


def _turned(values: F32 | None, turn: F64) -> F32 | None:
    if values is None:
        return None
    out = values.copy()
    out[:, :3] = values[:, :3].astype(np.float64) @ turn.T
    return out


def placed(mesh: Mesh, placing: Placing) -> Mesh:
    """The mesh in metres with Y up. Vertices, faces and everything that is painted stay what they are."""
    if placing.changes_nothing:
        return mesh
    positions = (mesh.positions.astype(np.float64) @ placing.matrix.T).astype(np.float32)
    turn = TURNS[placing.up]
    return replace(
        mesh, positions=positions, normals=_turned(mesh.normals, turn), tangents=_turned(mesh.tangents, turn)
    )
