"""Interlock: mixing by heights, so that stones stay above sand."""

from ashblend.core.tree.node import Node
from ashblend.core.tree.operations import clamp


def interlock(mask: Node, height: Node, below: Node, bite: Node, softness: Node) -> Node:
    """Weight of a layer from its mask and the heights of it and of what is under it.

    w = clamp(m + ((m − ½) + d/2)/ε, 0, 1) with d = clamp(b·(h − h₀), −1, 1), in this order:
    then w is exactly 0 at m = 0 and exactly 1 at m = 1 in float32 too.
    It never falls as m rises; ε → ∞ gives w = m. Our own formula; tests hold these properties.
    """
    lean = clamp(bite * (height - below), -1, 1)
    return clamp(mask + ((mask - 0.5) + lean * 0.5) / softness, 0, 1)
