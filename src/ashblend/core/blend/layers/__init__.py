"""The kinds of layer: one file and one line here for each."""

from collections.abc import Callable

from ashblend.core.blend.layers.cover import cover
from ashblend.core.blend.mapping import Look
from ashblend.core.blend.tree import Node

# (what is there so far, the layer's own look, its weight) → what is there then
Composite = Callable[[Look, Look, Node], Look]

LAYER_KINDS: dict[str, Composite] = {"cover": cover}
