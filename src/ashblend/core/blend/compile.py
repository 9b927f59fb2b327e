"""From the blend document to the expression tree."""

import hashlib
from dataclasses import dataclass
from uuid import UUID

from ashblend.core.blend.document import BlendDocument
from ashblend.core.blend.interlock import interlock
from ashblend.core.blend.layers import LAYER_KINDS
from ashblend.core.blend.mapping import PROJECTIONS, Look, Placing
from ashblend.core.blend.tree import Component, Constant, Node, Parameter, SiteInput


@dataclass(frozen=True)
class BlendTree:
    """look: the shaded inputs at a place. weights, shares: one for the ground and each visible layer.

    A weight is how far a layer covers what is under it; a share is what of it is left to see,
    after everything above. layers: which layer of the document each is (−1 the ground).
    slots: document path of the material in each texture slot. channel_sets: what weights0,
    weights1 … stand for.
    """

    look: Look
    weights: tuple[Node, ...]
    shares: tuple[Node, ...]
    layers: tuple[int, ...]
    slots: tuple[str, ...]
    channel_sets: tuple[UUID, ...]

    def outputs(self) -> dict[str, Node]:
        """What the viewport draws from."""
        look = self.look
        return {
            "albedo": look.albedo,
            "normal": look.normal,
            "roughness": look.roughness,
            "occlusion": look.occlusion,
        }


def compile_blend(document: BlendDocument) -> BlendTree:
    """Lower a document. Hidden layers leave no trace."""
    channel_sets: list[UUID] = []

    def weight_of(channel_set: UUID, channel: int) -> Node:
        if channel_set not in channel_sets:
            channel_sets.append(channel_set)
        return Component(SiteInput(f"weights{channel_sets.index(channel_set)}", 4), "xyzw"[channel])

    ground = document.ground
    look = PROJECTIONS[ground.mapping.projection](0, Placing("ground", "/ground/mapping"))
    weights: list[Node] = [Constant(1.0)]
    layers = [-1]
    slots = ["/ground/material"]
    for number, layer in enumerate(document.layers):
        if not layer.visible:
            continue
        path, name = f"/layers/{number}", f"layer{number}"
        own = PROJECTIONS[layer.mapping.projection](len(slots), Placing(name, f"{path}/mapping"))
        locked_in = interlock(
            weight_of(layer.mask.channel_set, layer.mask.channel),
            own.height,
            look.height,
            Parameter(f"{name}_bite", f"{path}/bite"),
            Parameter(f"{name}_softness", f"{path}/softness"),
        )
        weight = Parameter(f"{name}_opacity", f"{path}/opacity") * locked_in
        look = LAYER_KINDS[layer.kind](look, own, weight)
        weights.append(weight)
        layers.append(number)
        slots.append(f"{path}/material")
    shares: list[Node] = []
    left: Node = Constant(1.0)
    for weight in reversed(weights):
        shares.append(weight * left)
        left = left * (1.0 - weight)
    return BlendTree(
        look, tuple(weights), tuple(reversed(shares)), tuple(layers), tuple(slots), tuple(channel_sets)
    )


def structure_key(source: str) -> str:
    """Short name of a shader text: the viewport relinks only when it changes."""
    return hashlib.sha256(source.encode()).hexdigest()[:16]
