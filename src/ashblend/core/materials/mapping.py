"""Laying a tiling material on the surface.

Normals go through surface gradients: Mikkelsen (2020), "Surface Gradient-Based Bump Mapping
Framework", JCGT 9(4). A tangent-space normal is a slope; slopes of several projections add up
in world space, so UV and triplanar mapping need no different blending rules.

Texture coordinates run as in glTF: u to the right, v down the image; green of a normal map is up.

Places are counted from the surface's origin, which lies near it, and what the way from the world's
origin and the artist's offset come to is reduced by whole tiles on the host. What cannot hold: a
float32 knows a place that is e metres from the surface's origin to e · 6e-8, so a tile t is met to
(e / t) · 6e-8 of its width; a tile of 1 mm shows that on surfaces of more than some 50 m.
"""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from ashblend.core.materials.look import Look
from ashblend.core.tree import (
    Component,
    Constant,
    HostExpression,
    Node,
    Parameter,
    SiteInput,
    TextureSample,
    dot,
    fact,
    host,
    normalize,
    operation,
    pointer,
    vector,
)

POSITION = SiteInput("position", 3)
NORMAL = SiteInput("normal", 3)
TANGENT = SiteInput("tangent", 4)
UV = SiteInput("uv", 2)
METRES_PER_UV = Parameter("metres_per_uv", (fact("metres_per_uv"),))
# A sign, a coordinate: what a plane's axes are in space. v runs down.
PLANES: dict[str, tuple[tuple[int, str], tuple[int, str]]] = {
    "x": ((1, "z"), (-1, "y")),
    "y": ((1, "x"), (1, "z")),
    "z": ((1, "x"), (-1, "y")),
}
FARTHEST_OFFSET = 1e6

Offset = Annotated[FiniteFloat, Field(ge=-FARTHEST_OFFSET, le=FARTHEST_OFFSET)]


class Mapping(BaseModel):
    """How a material lies on the surface.

    projection: "uv" follows the first UV set, "triplanar" projects along the three world axes.
    metres_per_tile: edge of one tile. rotation: degrees, counter-clockwise. offset: metres.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    projection: Literal["uv", "triplanar"] = "triplanar"
    metres_per_tile: Annotated[FiniteFloat, Field(ge=0.001, le=10_000)] = 1.0
    rotation: Annotated[FiniteFloat, Field(ge=-360, le=360)] = 0.0
    offset: tuple[Offset, Offset] = (0.0, 0.0)


class Placing:
    """The parameters of one mapping, and what follows from them. path: of the mapping's document."""

    def __init__(self, name: str, path: str) -> None:
        self._name = name
        rotation = pointer(f"{path}/rotation")
        self._host_cos, self._host_sin = host("cosine", rotation), host("sine", rotation)
        self._host_tile = pointer(f"{path}/metres_per_tile")
        self._host_offset = (pointer(f"{path}/offset/0"), pointer(f"{path}/offset/1"))
        self._scale = Parameter(f"{name}_tile", (self._host_tile,))
        self._cos = Parameter(f"{name}_turn_cos", (self._host_cos,))
        self._sin = Parameter(f"{name}_turn_sin", (self._host_sin,))

    def _phase(self, plane: str, origin: tuple[HostExpression, HostExpression]) -> Node:
        """Tiles from the texture's corner to the surface's origin, without the whole ones."""
        c, s = self._host_cos, self._host_sin
        u, v = origin
        turned = (
            host("subtract", host("multiply", c, u), host("multiply", s, v)),
            host("add", host("multiply", s, u), host("multiply", c, v)),
        )
        tiles = tuple(
            host("fract", host("divide", host("add", turn, offset), self._host_tile))
            for turn, offset in zip(turned, self._host_offset, strict=True)
        )
        return Parameter(f"{self._name}_phase_{plane}", tiles)

    def tiles(
        self, metres: Node, plane: str = "uv", origin: tuple[HostExpression, HostExpression] = (0.0, 0.0)
    ) -> Node:
        """Texture coordinates from plane coordinates in metres (2, v down).

        origin: where the plane's coordinates are counted from, in metres; plane: a name for that.
        """
        u, v = Component(metres, "x"), Component(metres, "y")
        turned = vector(self._cos * u - self._sin * v, self._sin * u + self._cos * v)
        return turned / self._scale + self._phase(plane, origin)

    def slopes(self, detail: Node) -> tuple[Node, Node]:
        """Rise of the height along the plane's u and v, from the packed normal."""
        xy = Component(detail, "xy") * 2.0 - 1.0
        x, y = Component(xy, "x"), Component(xy, "y")
        z = operation("sqrt", operation("max", 1.0 - dot(xy, xy), 0.01))
        along_u, along_v = -(x / z), y / z
        return self._cos * along_u + self._sin * along_v, self._cos * along_v - self._sin * along_u


def _bumped(gradient: Node) -> Node:
    on_surface = gradient - NORMAL * dot(NORMAL, gradient)
    return normalize(NORMAL - on_surface)


def _look(surface: Node, detail: Node, gradient: Node) -> Look:
    return Look(
        albedo=Component(surface, "xyz"),
        normal=_bumped(gradient),
        roughness=Component(detail, "z"),
        occlusion=Component(detail, "w"),
        height=Component(surface, "w"),
    )


def uv_look(slot: int, placing: Placing) -> Look:
    """By the first UV set, in real metres: 2 samples."""
    at = placing.tiles(UV * METRES_PER_UV)
    surface, detail = TextureSample("surface", slot, at), TextureSample("detail", slot, at)
    along_u, along_v = placing.slopes(detail)
    tangent = Component(TANGENT, "xyz")
    up = operation("cross", NORMAL, tangent) * Component(TANGENT, "w")
    return _look(surface, detail, tangent * along_u - up * along_v)


def _plane(axis: str) -> tuple[Node, tuple[HostExpression, HostExpression]]:
    """Plane coordinates in metres of the place, and of the surface's origin."""
    nodes: list[Node] = []
    origins: list[HostExpression] = []
    for sign, letter in PLANES[axis]:
        coordinate, origin = Component(POSITION, letter), fact(f"origin_{letter}")
        nodes.append(coordinate if sign > 0 else -coordinate)
        origins.append(origin if sign > 0 else host("subtract", 0.0, origin))
    return vector(*nodes), (origins[0], origins[1])


def triplanar_look(slot: int, placing: Placing) -> Look:
    """Projected along x, y and z, each by the fourth power of the normal's component: 6 samples."""
    squared = NORMAL * NORMAL
    power = squared * squared
    total = Component(power, "x") + Component(power, "y") + Component(power, "z")
    surface: Node = Constant(0.0)
    detail: Node = Constant(0.0)
    slopes = {}
    for axis in PLANES:
        metres, origin = _plane(axis)
        share = Component(power, axis) / total
        at = placing.tiles(metres, axis, origin)
        plane_detail = TextureSample("detail", slot, at)
        surface = surface + TextureSample("surface", slot, at) * share
        detail = detail + plane_detail * share
        along_u, along_v = placing.slopes(plane_detail)
        slopes[axis] = (along_u * share, along_v * share)
    gradient = vector(
        slopes["y"][0] + slopes["z"][0],
        -(slopes["x"][1] + slopes["z"][1]),
        slopes["x"][0] + slopes["y"][1],
    )
    return _look(surface, detail, gradient)


PROJECTIONS = {"uv": uv_look, "triplanar": triplanar_look}
