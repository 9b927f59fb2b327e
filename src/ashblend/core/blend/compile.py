"""From the blend document to the expression tree."""

import hashlib
from collections.abc import Collection
from dataclasses import dataclass, fields
from uuid import UUID

from ashblend.core.blend.document import BlendDocument, Ground
from ashblend.core.blend.drive import driven
from ashblend.core.blend.layers.registry import LAYER_KINDS, Layer
from ashblend.core.materials.finish import colour_at
from ashblend.core.materials.look import NOTHING, Look
from ashblend.core.materials.spot import NORMAL
from ashblend.core.recipe.lowering import Lowering
from ashblend.core.tree.node import Constant, Node
from ashblend.core.tree.operations import only_where

SHADED = ("albedo", "normal", "roughness", "metallic", "occlusion", "emission", "thin")


@dataclass(frozen=True)
class BlendTree:
    """look: the shaded inputs at a place. masks, weights, covers, shares: one for the ground and each layer that is there.

    A mask is what a layer's recipe says; a weight is how far the layer is there, and covers how far it hides what is
    under it; a share is what of it is left to see, after everything above. layers: which layer of the document each is (−1 the ground).
    slots, pictures: document path of the material, and of the picture, in each texture slot. channel_sets: what weights0,
    weights1 … stand for. alike: document paths of mappings that are read once for all of a group, since
    they are equal; when one of them is not any more, the tree is another one.
    """

    look: Look
    masks: tuple[Node, ...]
    weights: tuple[Node, ...]
    covers: tuple[Node, ...]
    shares: tuple[Node, ...]
    layers: tuple[int, ...]
    slots: tuple[str, ...]
    pictures: tuple[str, ...]
    channel_sets: tuple[UUID, ...]
    alike: tuple[tuple[str, ...], ...]

    def outputs(self) -> dict[str, Node]:
        """What the viewport draws from."""
        return {name: getattr(self.look, name) for name in SHADED}

    def vertex_outputs(self) -> dict[str, Node]:
        """What moves the surface itself; nothing where no layer does."""
        return {} if self.look.sink is NOTHING else {"sink": self.look.sink}


def lower_ground(ground: Ground, at: Lowering) -> Look:
    """The ground's look: of its material, or of its colour alone."""
    if ground.material is not None:
        return at.material(ground.material, ground.mapping, "/ground", ground.finish)
    return Look(
        albedo=colour_at("ground_colour", "/ground/colour"),
        normal=NORMAL,
        roughness=at.number("/ground/roughness"),
        occlusion=Constant(1.0),
        height=Constant(0.5),
        thin=NOTHING if ground.finish.thin == 0 else at.number("/ground/finish/thin"),
    )


def is_there(document: BlendDocument, layer: Layer) -> bool:
    """Whether a layer leaves a trace: nothing is worked out for one that nobody can see."""
    return document.shown(layer) and layer.opacity > 0


def compile_blend(
    document: BlendDocument, only: str | None = None, faulty: Collection[str] = ()
) -> BlendTree:
    """Lower a document. Hidden layers leave no trace, and where a mask is zero its layer is not worked out: every kind
    of layer leaves what is below as it was there.

    only: the id of a layer that is looked at alone, hidden or not. faulty: document paths of parts that cannot be drawn, which are
    left out; for the ground, its colour stands.
    """
    at = Lowering()
    ground = document.ground
    if "/ground" in faulty:
        ground = ground.model_copy(update={"material": None})
    look = lower_ground(ground, at)
    masks: list[Node] = [Constant(1.0)]
    weights: list[Node] = [Constant(1.0)]
    covers: list[Node] = [Constant(1.0)]
    layers = [-1]
    for number, layer in enumerate(document.layers):
        path = f"/layers/{number}"
        there = is_there(document, layer) if only is None else layer.id == only
        if not there or path in faulty:
            continue
        laid = LAYER_KINDS[layer.kind](layer, path, at, look)

        def where(laid_on: Node, below: Node = NOTHING, mask: Node = laid.mask, path: str = path) -> Node:
            return only_where(path, mask, laid_on, below)

        parts = {f.name: where(getattr(laid.look, f.name), getattr(look, f.name)) for f in fields(Look)}
        look = Look(**parts)
        masks.append(laid.mask)
        weights.append(where(laid.weight))
        covers.append(where(laid.weight if laid.covers is None else laid.covers))
        layers.append(number)
    for number, drive in enumerate(document.drives):
        path = f"/drives/{number}"
        if drive.on and path not in faulty:
            look = driven(look, drive, path, at)
    shares: list[Node] = []
    left: Node = Constant(1.0)
    for hides in reversed(covers):
        shares.append(hides * left)
        left = left * (1.0 - hides)
    return BlendTree(
        look,
        tuple(masks),
        tuple(weights),
        tuple(covers),
        tuple(reversed(shares)),
        tuple(layers),
        tuple(at.materials.values()),
        tuple(at.pictures.values()),
        tuple(at.channel_sets),
        tuple(tuple(paths) for paths in at.alike.values() if len(paths) > 1),
    )


def structure_key(source: str) -> str:
    """Short name of a shader text: the viewport relinks only when it changes."""
    return hashlib.sha256(source.encode()).hexdigest()[:16]
