"""The kinds of layer: one file and one line here for each.

A kind is a document and the way it lowers itself: asked what lies below, it says what is there then and
by how much it covers that. It decides for itself what it samples.
"""

from collections.abc import Callable
from typing import Any

from ashblend.core.blend.layers.cover import CoverLayer, lower_cover
from ashblend.core.blend.layers.protocol import Laid
from ashblend.core.materials.look import Look
from ashblend.core.recipe.lowering import Lowering

# (the layer, its path in the document, what may be asked for, what is below) → what is there then
Lower = Callable[[Any, str, Lowering, Look], Laid]

LAYER_KINDS: dict[str, Lower] = {"cover": lower_cover}
Layer = CoverLayer

__all__ = ["LAYER_KINDS", "CoverLayer", "Laid", "Layer", "Lower"]
