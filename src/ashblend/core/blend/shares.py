"""Who wins where: weights and shares of every layer, by the reference back end."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from ashblend.core.arrays import F64
from ashblend.core.blend.compile import BlendTree
from ashblend.core.emit.numpy_reference import Textures, evaluate
from ashblend.core.emit.parameters import parameter_values


@dataclass(frozen=True)
class LayerShares:
    """weights: how far each layer hides what is under it. Both (places, layers), in the order of BlendTree.layers;
    shares of a place sum to one.
    """

    weights: F64
    shares: F64


def layer_shares(
    tree: BlendTree,
    document: Any,
    inputs: Mapping[str, F64],
    textures: Textures,
    facts: Mapping[str, float],
) -> LayerShares:
    """Evaluate every layer's weight and share at the given places. facts: of the surface."""
    outputs = {f"weight{i}": node for i, node in enumerate(tree.covers)}
    outputs |= {f"share{i}": node for i, node in enumerate(tree.shares)}
    values = evaluate(outputs, inputs, parameter_values(outputs, document, facts), textures)
    count = len(tree.covers)
    return LayerShares(
        np.concatenate([values[f"weight{i}"] for i in range(count)], axis=1),
        np.concatenate([values[f"share{i}"] for i in range(count)], axis=1),
    )
