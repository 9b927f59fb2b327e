"""What a place looks like, as nodes."""

from dataclasses import dataclass, replace

from ashblend.core.tree.node import Constant, Node, Spread

NOTHING = Constant(0.0)
DARK = Spread(NOTHING, 3)


@dataclass(frozen=True)
class Look:
    """albedo (3, linear), normal (3, unit, in surface space), roughness, metallic, occlusion, height,
    emission (3, linear), thin (how much of the light on its back comes through), sink (metres that the surface lies below the mesh, along its normal).
    """

    albedo: Node
    normal: Node
    roughness: Node
    occlusion: Node
    height: Node
    metallic: Node = NOTHING
    emission: Node = DARK
    thin: Node = NOTHING
    sink: Node = NOTHING

    def having(self, **changes: Node) -> "Look":
        """The same but for some properties."""
        return replace(self, **changes)
