"""Depth seen in a height map: the place that the eye meets when the material is sunk below the surface.

Parallax occlusion mapping: Tatarchuk (2006), "Dynamic parallax occlusion mapping with approximate soft shadows",
I3D. The line of sight is followed in even steps until it is below the map, then the crossing is found between the
last two by straight lines. White of the height map lies on the surface: a map that is white everywhere changes
nothing, an even one is met exactly.
"""

from ashblend.core.materials.mapping import Origin, Tiling
from ashblend.core.tree.node import Component, Constant, Node, TextureSample
from ashblend.core.tree.operations import operation, vector

STEPS = 6
# The line of sight is taken as no flatter than this: beyond, six steps would jump over what they look for.
FLATTEST = 0.25


def seen_place(
    slot: int,
    tiling: Tiling,
    metres: Node,
    plane: str,
    origin: Origin,
    toward_eye: tuple[Node, Node, Node],
) -> Node:
    """(2) metres on a plane that the eye meets through a place: STEPS + 1 samples.

    toward_eye: along the plane's u and v and away from it, of a unit vector.
    """
    u, v, height = toward_eye
    run = tiling.number("parallax") / operation("max", height, FLATTEST)
    way = vector(u * run, v * run)
    steady = tiling.tiles(metres, plane, origin)

    def depth_at(share: float) -> Node:
        at = tiling.tiles(metres - way * share, plane, origin)
        return 1.0 - Component(TextureSample("surface", slot, at, steady), "w")

    depths = [depth_at(step / STEPS) for step in range(STEPS + 1)]
    met: Node = Constant(1.0)
    for step in range(STEPS, 0, -1):
        before, after = depths[step - 1] - (step - 1) / STEPS, step / STEPS - depths[step]
        between = before / operation("max", before + after, 1e-6)
        crossing = (step - 1) / STEPS + between * (1 / STEPS)
        met = operation("select", operation("less", after, 0.0), met, crossing)
    met = operation("select", operation("less", 0.0, depths[0]), met, 0.0)
    return metres - way * met
