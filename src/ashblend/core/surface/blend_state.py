"""The blend of an open surface, compiled, with what the reference back end reads."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any
from uuid import UUID

import numpy as np

from ashblend.core.arrays import F64
from ashblend.core.blend.compile import BlendTree, compile_blend
from ashblend.core.blend.document import BlendDocument
from ashblend.core.blend.inputs import SurfaceInputs
from ashblend.core.blend.references import Known, faults
from ashblend.core.blend.shares import LayerShares, layer_shares
from ashblend.core.materials.packing import PackedTexels
from ashblend.core.tree.pack import PackName


@dataclass(frozen=True)
class BlendState:
    """document: plain JSON. textures: packed texels of each slot, as large as the picture has them.

    bindings: which set of the surface stands for a set that the blend names, where it is another.
    """

    id: UUID
    revision: int
    document: dict[str, Any]
    tree: BlendTree
    textures: dict[PackName, list[PackedTexels]]
    bindings: Mapping[UUID, UUID]

    @cached_property
    def names(self) -> list[str]:
        """Of the ground and each visible layer, in the tree's order."""
        layers = self.document["layers"]
        return [self.document["ground"]["name"] if n < 0 else layers[n]["name"] for n in self.tree.layers]

    def shares(
        self, surface: SurfaceInputs, places: dict[str, F64], weights: Mapping[UUID, F64]
    ) -> LayerShares:
        """places: surface inputs (n, width). weights: (n, 4) of each channel set of the surface."""
        count = places["position"].shape[0]
        # Looked at from straight above, and from near: what a place is does not depend on where somebody stands.
        inputs = {**places, "view": places["normal"], "away": np.zeros((count, 1))}
        for number, named in enumerate(self.tree.channel_sets):
            channel_set = self.bindings.get(named, named)
            inputs[f"weights{number}"] = weights.get(channel_set, np.zeros((count, 4)))
        return layer_shares(self.tree, self.document, inputs, self.textures, surface.facts)


def compiled(document: dict[str, Any], known: Known) -> BlendTree:
    """The tree of a blend document as plain JSON; what is not there is left out."""
    parsed = BlendDocument.model_validate(document)
    return compile_blend(parsed, faulty=[fault.part for fault in faults(parsed, known)])
