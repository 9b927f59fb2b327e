"""How a tiling material lies on a surface: the document, and the numbers that follow from it.

Texture coordinates run as in glTF: u to the right, v down the image; green of a normal map is up.

Places are counted from the surface's origin, which lies near it, and what the way from the world's
origin and the artist's offset come to is reduced by whole tiles on the host. What cannot hold: a
float32 knows a place that is e metres from the surface's origin to e · 6e-8, so a tile t is met to
(e / t) · 6e-8 of its width; a tile of 1 mm shows that on surfaces of more than some 50 m.
"""

import math
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from ashblend.core.tree.host import HostExpression, host, pointer
from ashblend.core.tree.node import Component, Node, Parameter
from ashblend.core.tree.operations import dot as dot_product
from ashblend.core.tree.operations import operation, vector

FARTHEST_OFFSET = 1e6
# Of a triplanar projection: with this one no power has to be taken.
USUAL_SHARPNESS = 4.0

Offset = Annotated[FiniteFloat, Field(ge=-FARTHEST_OFFSET, le=FARTHEST_OFFSET)]
Axis = Literal["x", "y", "z"]
Origin = tuple[HostExpression, HostExpression]

# Corners of the lattice along a tile's edge, as Mikkelsen (2022) has them; and when counting them starts anew.
STEPS_A_TILE = 2 * math.sqrt(3)
ROUND = 2.0**20


class Far(BaseModel):
    """A second tiling that takes over with distance.

    times: how many times as large its tiles are. begins, ends: metres from the eye at which it starts to be seen
    and is all that is.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    times: Annotated[FiniteFloat, Field(ge=1.1, le=100)] = 5.0
    begins: Annotated[FiniteFloat, Field(ge=0, le=1e5)] = 6.0
    ends: Annotated[FiniteFloat, Field(ge=0, le=1e5)] = 20.0


class TileMapping(BaseModel):
    """How a material lies on the surface.

    projection: "uv" follows a UV set, "planar" projects along one world axis, "triplanar" along all three, the
    sharper the less they overlap. metres_per_tile: edge of one tile. rotation: degrees, counter-clockwise.
    offset: metres. far: a larger tiling at a distance. broken: the tiling is broken up, so that it does not show.
    parallax: metres between the highest and the lowest of the height map, seen as depth.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    projection: Literal["uv", "planar", "triplanar"] = "triplanar"
    uv: Annotated[int, Field(ge=0, le=7)] = 0
    axis: Axis = "y"
    sharpness: Annotated[FiniteFloat, Field(ge=1, le=32)] = USUAL_SHARPNESS
    metres_per_tile: Annotated[FiniteFloat, Field(ge=0.001, le=10_000)] = 1.0
    rotation: Annotated[FiniteFloat, Field(ge=-360, le=360)] = 0.0
    offset: tuple[Offset, Offset] = (0.0, 0.0)
    far: Far | None = None
    broken: bool = False
    parallax: Annotated[FiniteFloat, Field(ge=0, le=1)] = 0.0


class Tiling:
    """The parameters of one mapping, and what follows from them.

    name: unique in the tree. path: of the mapping's document. larger: a number that tiles are larger by.
    """

    def __init__(self, name: str, path: str, larger: HostExpression | None = None) -> None:
        self.name = name
        self.path = path
        rotation = pointer(f"{path}/rotation")
        self._host_cos, self._host_sin = host("cosine", rotation), host("sine", rotation)
        tile = pointer(f"{path}/metres_per_tile")
        self._host_tile = tile if larger is None else host("multiply", tile, larger)
        self._host_offset = (pointer(f"{path}/offset/0"), pointer(f"{path}/offset/1"))
        self._scale = Parameter(f"{name}_tile", (self._host_tile,))
        turned = name if larger is None else name.removesuffix("_far")
        self._cos = Parameter(f"{turned}_turn_cos", (self._host_cos,))
        self._sin = Parameter(f"{turned}_turn_sin", (self._host_sin,))

    def number(self, key: str) -> Node:
        """A number of the mapping's document."""
        return Parameter(f"{self.name}_{key.replace('/', '_')}", (pointer(f"{self.path}/{key}"),))

    def farther(self) -> "Tiling":
        """The same with the larger tiles that are seen far away."""
        return Tiling(f"{self.name}_far", self.path, pointer(f"{self.path}/far/times"))

    def _from_corner(self, origin: Origin) -> tuple[HostExpression, HostExpression]:
        """Tiles from the texture's corner to the surface's origin."""
        c, s = self._host_cos, self._host_sin
        u, v = origin
        turned_u = host("subtract", host("multiply", c, u), host("multiply", s, v))
        turned_v = host("add", host("multiply", s, u), host("multiply", c, v))
        along_u, along_v = self._host_offset
        return (
            host("divide", host("add", turned_u, along_u), self._host_tile),
            host("divide", host("add", turned_v, along_v), self._host_tile),
        )

    def _turned(self, metres: Node) -> tuple[Node, Node]:
        u, v = Component(metres, "x"), Component(metres, "y")
        turned = vector(self._cos * u - self._sin * v, self._sin * u + self._cos * v) / self._scale
        return Component(turned, "x"), Component(turned, "y")

    def tiles(self, metres: Node, plane: str = "uv", origin: Origin = (0.0, 0.0)) -> Node:
        """Texture coordinates from plane coordinates in metres (2, v down).

        origin: where the plane's coordinates are counted from, in metres; plane: a name for that.
        """
        phase = tuple(host("fract", tiles) for tiles in self._from_corner(origin))
        return vector(*self._turned(metres)) + Parameter(f"{self.name}_phase_{plane}", phase)

    def lattice(self, metres: Node, plane: str, origin: Origin) -> tuple[Node, Node]:
        """The same over a lattice of triangles (2), and (2) whole steps of it to add, without which it is counted.

        The lattice: see `core.materials.sampling`. Steps are counted round after a million.
        """
        u, v = self._from_corner(origin)
        along = (
            host("subtract", host("multiply", STEPS_A_TILE, u), host("multiply", 2.0, v)),
            host("multiply", 4.0, v),
        )
        rest = Parameter(f"{self.name}_lattice_{plane}", tuple(host("fract", steps) for steps in along))
        # Around zero, so that near the world's origin nothing is ever counted round.
        turns = [host("add", host("divide", host("floor", steps), ROUND), 0.5) for steps in along]
        round_zero = tuple(host("multiply", host("subtract", host("fract", t), 0.5), ROUND) for t in turns)
        whole = Parameter(f"{self.name}_steps_{plane}", round_zero)
        x, y = self._turned(metres)
        return vector(x * STEPS_A_TILE - y * 2.0, y * 4.0) + rest, whole

    def slopes(self, detail: Node) -> tuple[Node, Node]:
        """Rise of the height along the plane's u and v, from the packed normal."""
        xy = Component(detail, "xy") * 2.0 - 1.0
        x, y = Component(xy, "x"), Component(xy, "y")
        z = operation("sqrt", operation("max", 1.0 - dot_product(xy, xy), 0.01))
        along_u, along_v = -(x / z), y / z
        return self._cos * along_u + self._sin * along_v, self._cos * along_v - self._sin * along_u
