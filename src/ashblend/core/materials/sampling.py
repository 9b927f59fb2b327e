"""Reading a material's packs at texture coordinates: plainly, with its tiling broken up, or larger far away.

Breaking up, by hexagons: the plane is covered by a grid of triangles, each corner of it shifts the texture by chance,
and the three shifted ones are mixed. Grid and weights: Heitz and Neyret (2018), "High-Performance By-Example
Noise using a Histogram-Preserving Blending Operator", sections 3 and 4; sharpened weights: Mikkelsen (2022),
"Practical Real-Time Hex-Tiling", JCGT 11(3). Mixed around the mean and divided by the length of the weights, so
that mean and variance stay those of the texture, whatever the weights (Heitz and Neyret, equation 2).

Tried: turning each hexagon, as Mikkelsen does: slopes have to be turned back then, three times a projection, and
on setts and planks it shows as disorder.
"""

from ashblend.core.materials.mapping import Origin, TileMapping, Tiling
from ashblend.core.materials.spot import Spot
from ashblend.core.tree.node import Component, Constant, Node, Scatter, TextureMean, TextureSample
from ashblend.core.tree.operations import clamp, mix, operation, vector
from ashblend.core.tree.pack import PackName

PACKS: tuple[PackName, PackName] = ("surface", "detail")


def _corners(at: Node) -> list[tuple[Node, Node]]:
    """The corners of the triangle that a place (2) of the lattice lies in: (2) whole numbers, and their weights."""
    low, within = operation("floor", at), operation("fract", at)
    a, b = Component(within, "x"), Component(within, "y")
    # A step of the lattice holds two triangles; in the second one the far corner takes the near one's place.
    over = operation("less", 1.0, a + b)
    i, j = Component(low, "x"), Component(low, "y")
    return [
        (vector(i + over, j + over), operation("abs", 1.0 - a - b)),
        (vector(i + over, j + 1.0 - over), operation("select", over, 1.0 - b, b)),
        (vector(i + 1.0 - over, j + over), operation("select", over, 1.0 - a, a)),
    ]


def _broken(slot: int, at: Node, steady: Node, lattice: Node, whole: Node) -> tuple[Node, Node]:
    corners = _corners(lattice)
    # To the fourth power: one of the three is clearly seen in most places.
    sharpened = [weight * weight * weight * weight for _, weight in corners]
    total = sharpened[0] + sharpened[1] + sharpened[2]
    weights = [weight / total for weight in sharpened]
    squares = weights[0] * weights[0] + weights[1] * weights[1] + weights[2] * weights[2]
    length = operation("sqrt", squares)
    out = []
    for pack in PACKS:
        mean = TextureMean(pack, slot)
        total_off: Node = Constant(0.0)
        for (corner, _), weight in zip(corners, weights, strict=True):
            shift = Component(Scatter(vector(corner, 0.0), vector(whole, 0.0)), "xy")
            total_off = total_off + (TextureSample(pack, slot, at + shift, steady) - mean) * weight
        out.append(clamp(mean + total_off / length, 0, 1))
    return out[0], out[1]


def read_plane(
    slot: int,
    mapping: TileMapping,
    tiling: Tiling,
    spot: Spot,
    metres: Node,
    deep: Node,
    plane: str,
    origin: Origin,
) -> tuple[Node, Node]:
    """Both packs of a material on a plane. metres: (2) place on it; deep: the same, displaced by parallax."""

    def both(tiling: Tiling, deep: Node) -> tuple[Node, Node]:
        steady = tiling.tiles(metres, plane, origin)
        at = steady if deep is metres else tiling.tiles(deep, plane, origin)
        if mapping.broken:
            return _broken(slot, at, steady, *tiling.lattice(metres, plane, origin))
        even = None if at is steady else steady
        return TextureSample("surface", slot, at, even), TextureSample("detail", slot, at, even)

    near = both(tiling, deep)
    if mapping.far is None:
        return near
    far = both(tiling.farther(), metres)
    begins, ends = tiling.number("far/begins"), tiling.number("far/ends")
    share = clamp((spot.away - begins) / operation("max", ends - begins, 0.001), 0, 1)
    return mix(near[0], far[0], share), mix(near[1], far[1], share)
