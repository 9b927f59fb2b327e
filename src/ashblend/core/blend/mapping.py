"""Laying a tiling material on the surface.

Normals go through surface gradients: Mikkelsen (2020), "Surface Gradient-Based Bump Mapping
Framework", JCGT 9(4). A tangent-space normal is a slope; slopes of several projections add up
in world space, so UV and triplanar mapping need no different blending rules.

Texture coordinates run as in glTF: u to the right, v down the image; green of a normal map is up.
"""

from dataclasses import dataclass

from ashblend.core.blend.tree import (
    Component,
    Constant,
    Node,
    Parameter,
    SiteInput,
    TextureSample,
    dot,
    normalize,
    operation,
    vector,
)

POSITION = SiteInput("position", 3)
NORMAL = SiteInput("normal", 3)
TANGENT = SiteInput("tangent", 4)
UV = SiteInput("uv", 2)
METRES_PER_UV = Parameter("metres_per_uv", "surface:metres_per_uv")


@dataclass(frozen=True)
class Look:
    """What a place looks like: width 3, 3 (unit, world), 1, 1, 1."""

    albedo: Node
    normal: Node
    roughness: Node
    occlusion: Node
    height: Node


class Placing:
    """The parameters of one mapping, and what follows from them."""

    def __init__(self, name: str, path: str) -> None:
        self._scale = Parameter(f"{name}_tile", f"{path}/metres_per_tile")
        self._cos = Parameter(f"{name}_turn_cos", f"{path}/rotation", "cosine")
        self._sin = Parameter(f"{name}_turn_sin", f"{path}/rotation", "sine")
        self._offset = vector(
            Parameter(f"{name}_offset_x", f"{path}/offset/0"),
            Parameter(f"{name}_offset_y", f"{path}/offset/1"),
        )

    def tiles(self, metres: Node) -> Node:
        """Texture coordinates from plane coordinates in metres (2, v down)."""
        u, v = Component(metres, "x"), Component(metres, "y")
        turned = vector(self._cos * u - self._sin * v, self._sin * u + self._cos * v)
        return (turned + self._offset) / self._scale

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


def triplanar_look(slot: int, placing: Placing) -> Look:
    """Projected along x, y and z, each by the fourth power of the normal's component: 6 samples."""
    squared = NORMAL * NORMAL
    power = squared * squared
    total = Component(power, "x") + Component(power, "y") + Component(power, "z")
    x, y, z = (Component(POSITION, c) for c in "xyz")
    planes = (
        ("x", vector(z, -y)),
        ("y", vector(x, z)),
        ("z", vector(x, -y)),
    )
    surface: Node = Constant(0.0)
    detail: Node = Constant(0.0)
    slopes = {}
    for axis, metres in planes:
        share = Component(power, axis) / total
        at = placing.tiles(metres)
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
