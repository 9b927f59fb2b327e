"""Who wins where: weights and shares of every layer."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import F64
from ashblend.core.blend.compile import BlendTree
from ashblend.core.tree.node import Node


@dataclass(frozen=True)
class LayerShares:
    """weights: how far each layer hides what is under it. Both (places, layers), in the order of BlendTree.layers;
    shares of a place sum to one.
    """

    weights: F64
    shares: F64


def share_outputs(tree: BlendTree) -> dict[str, Node]:
    """What `layer_shares` is made from."""
    outputs = {f"weight{i}": node for i, node in enumerate(tree.covers)}
    return outputs | {f"share{i}": node for i, node in enumerate(tree.shares)}


def layer_shares(values: Mapping[str, F64]) -> LayerShares:
    """values: of `share_outputs`, (places, 1) each."""
    numbers = range(len(values) // 2)
    return LayerShares(
        np.concatenate([values[f"weight{i}"] for i in numbers], axis=1),
        np.concatenate([values[f"share{i}"] for i in numbers], axis=1),
    )
