"""Laying a tiling material on the surface: one function for each projection.

Normals go through surface gradients: Mikkelsen (2020), "Surface Gradient-Based Bump TileMapping
Framework", JCGT 9(4). A tangent-space normal is a slope; slopes of several projections add up
in world space, so no projection needs blending rules of its own.
"""

from collections.abc import Callable

from ashblend.core.materials.look import Look
from ashblend.core.materials.mapping import USUAL_SHARPNESS, Axis, Origin, TileMapping, Tiling
from ashblend.core.materials.parallax import seen_place
from ashblend.core.materials.sampling import read_plane
from ashblend.core.materials.spot import NORMAL, Spot
from ashblend.core.tree.host import HostExpression, fact, host
from ashblend.core.tree.node import Component, Constant, Node
from ashblend.core.tree.operations import dot, normalize, operation, vector

# A sign, a coordinate: what a plane's axes are in space. v runs down.
PLANES: dict[Axis, tuple[tuple[int, Axis], tuple[int, Axis]]] = {
    "x": ((1, "z"), (-1, "y")),
    "y": ((1, "x"), (1, "z")),
    "z": ((1, "x"), (-1, "y")),
}
NO_ORIGIN: Origin = (0.0, 0.0)

# A slope along each of x, y, z.
Gradient = dict[Axis, Node]


def bumped(gradient: Node, strength: Node | None = None) -> Node:
    """(3) the surface's normal where it rises by a gradient (3)."""
    on_surface = gradient - NORMAL * dot(NORMAL, gradient)
    return normalize(NORMAL - (on_surface if strength is None else on_surface * strength))


def _look(surface: Node, detail: Node, gradient: Node, strength: Node | None) -> Look:
    return Look(
        albedo=Component(surface, "xyz"),
        normal=bumped(gradient, strength),
        roughness=Component(detail, "z"),
        occlusion=Component(detail, "w"),
        height=Component(surface, "w"),
    )


def over_uv(slot: int, mapping: TileMapping, tiling: Tiling, spot: Spot, strength: Node | None) -> Look:
    """Over a UV set, in real metres: 2 samples."""
    metres = spot.over(mapping.uv)
    right, up = spot.right(mapping.uv), spot.up(mapping.uv)
    deep = metres
    if mapping.parallax:
        eye = (dot(right, spot.view), -dot(up, spot.view), dot(NORMAL, spot.view))
        deep = seen_place(slot, tiling, metres, "uv", NO_ORIGIN, eye)
    surface, detail = read_plane(slot, mapping, tiling, spot, metres, deep, "uv", NO_ORIGIN)
    along_u, along_v = tiling.slopes(detail)
    return _look(surface, detail, right * along_u - up * along_v, strength)


def _signed(sign: int, node: Node) -> Node:
    return node if sign > 0 else -node


def _on_plane(
    axis: Axis, slot: int, mapping: TileMapping, tiling: Tiling, spot: Spot
) -> tuple[Node, Node, Gradient]:
    """Both packs projected along an axis, and what they rise by along the other two."""
    places: list[Node] = []
    views: list[Node] = []
    origins: list[HostExpression] = []
    for sign, letter in PLANES[axis]:
        places.append(_signed(sign, Component(spot.position, letter)))
        views.append(_signed(sign, Component(spot.view, letter)))
        origin = fact(f"origin_{letter}")
        origins.append(origin if sign > 0 else host("subtract", 0.0, origin))
    metres, origin_of = vector(*places), (origins[0], origins[1])
    deep = metres
    if mapping.parallax:
        eye = (views[0], views[1], operation("abs", Component(spot.view, axis)))
        deep = seen_place(slot, tiling, metres, axis, origin_of, eye)
    surface, detail = read_plane(slot, mapping, tiling, spot, metres, deep, axis, origin_of)
    rises = tiling.slopes(detail)
    gradient = {letter: _signed(sign, rise) for (sign, letter), rise in zip(PLANES[axis], rises, strict=True)}
    return surface, detail, gradient


def planar(slot: int, mapping: TileMapping, tiling: Tiling, spot: Spot, strength: Node | None) -> Look:
    """Projected along one world axis: 2 samples."""
    surface, detail, gradient = _on_plane(mapping.axis, slot, mapping, tiling, spot)
    parts = [gradient.get(letter, Constant(0.0)) for letter in PLANES]
    return _look(surface, detail, vector(*parts), strength)


def _shares(mapping: TileMapping, tiling: Tiling) -> dict[Axis, Node]:
    """How much of each plane is seen, by how much the surface faces it; they sum to one."""
    if mapping.sharpness == USUAL_SHARPNESS:
        squared = NORMAL * NORMAL
        power = squared * squared
    else:
        # Never a power of nothing: some shaders take that for not a number.
        power = operation(
            "power", operation("max", operation("abs", NORMAL), 1e-5), tiling.number("sharpness")
        )
    total = Component(power, "x") + Component(power, "y") + Component(power, "z")
    return {axis: Component(power, axis) / total for axis in PLANES}


def triplanar(slot: int, mapping: TileMapping, tiling: Tiling, spot: Spot, strength: Node | None) -> Look:
    """Projected along x, y and z, each by a power of the normal's component: 6 samples."""
    surface: Node = Constant(0.0)
    detail: Node = Constant(0.0)
    gradient: Gradient = {letter: Constant(0.0) for letter in PLANES}
    for axis, share in _shares(mapping, tiling).items():
        plane_surface, plane_detail, rises = _on_plane(axis, slot, mapping, tiling, spot)
        surface = surface + plane_surface * share
        detail = detail + plane_detail * share
        for letter, rise in rises.items():
            gradient[letter] = gradient[letter] + rise * share
    return _look(surface, detail, vector(*gradient.values()), strength)


# (slot, mapping, its tiling, the place, how strongly normals show or None for as they are) → what is there
Project = Callable[[int, TileMapping, Tiling, Spot, Node | None], Look]
PROJECTIONS: dict[str, Project] = {"uv": over_uv, "planar": planar, "triplanar": triplanar}
