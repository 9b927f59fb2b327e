"""From the blend document to the expression tree."""

import hashlib
from dataclasses import dataclass
from uuid import UUID

from ashblend.core.blend.document import BlendDocument
from ashblend.core.blend.layers import LAYER_KINDS
from ashblend.core.materials.look import NOTHING, Look
from ashblend.core.recipe.lowering import Lowering
from ashblend.core.tree import Constant, Node

SHADED = ("albedo", "normal", "roughness", "metallic", "occlusion", "emission")


@dataclass(frozen=True)
class BlendTree:
    """look: the shaded inputs at a place. weights, shares: one for the ground and each visible layer.

    A weight is how far a layer covers what is under it; a share is what of it is left to see,
    after everything above. layers: which layer of the document each is (−1 the ground).
    slots: document path of the material in each texture slot. channel_sets: what weights0,
    weights1 … stand for. alike: document paths of mappings that are read once for all of a group, since
    they are equal; when one of them is not any more, the tree is another one.
    """

    look: Look
    weights: tuple[Node, ...]
    shares: tuple[Node, ...]
    layers: tuple[int, ...]
    slots: tuple[str, ...]
    channel_sets: tuple[UUID, ...]
    alike: tuple[tuple[str, ...], ...]

    def outputs(self) -> dict[str, Node]:
        """What the viewport draws from."""
        return {name: getattr(self.look, name) for name in SHADED}

    def vertex_outputs(self) -> dict[str, Node]:
        """What moves the surface itself; nothing where no layer does."""
        return {} if self.look.sink is NOTHING else {"sink": self.look.sink}


def compile_blend(document: BlendDocument) -> BlendTree:
    """Lower a document. Hidden layers leave no trace."""
    at = Lowering()
    look = at.material(document.ground.material, document.ground.mapping, "/ground")
    weights: list[Node] = [Constant(1.0)]
    layers = [-1]
    for number, layer in enumerate(document.layers):
        if not layer.visible:
            continue
        laid = LAYER_KINDS[layer.kind](layer, f"/layers/{number}", at, look)
        look = laid.look
        weights.append(laid.weight)
        layers.append(number)
    shares: list[Node] = []
    left: Node = Constant(1.0)
    for weight in reversed(weights):
        shares.append(weight * left)
        left = left * (1.0 - weight)
    return BlendTree(
        look,
        tuple(weights),
        tuple(reversed(shares)),
        tuple(layers),
        tuple(at.materials.values()),
        tuple(at.channel_sets),
        tuple(tuple(paths) for paths in at.alike.values() if len(paths) > 1),
    )


def structure_key(source: str) -> str:
    """Short name of a shader text: the viewport relinks only when it changes."""
    return hashlib.sha256(source.encode()).hexdigest()[:16]
