"""All kinds of layer. A new one is one new file and one line in the union and in each registry.

A kind is a document and the way it lowers itself: asked what lies below, it says what is there then and
by how much it covers that. It decides for itself what it samples.
"""

from collections.abc import Callable
from typing import Annotated, Any

from pydantic import Field

from ashblend.core.blend.layers.cover import CoverLayer, lower_cover
from ashblend.core.blend.layers.film import FilmLayer, lower_film
from ashblend.core.blend.layers.protocol import Laid, LayerDocument
from ashblend.core.blend.layers.relief import ReliefLayer, lower_relief
from ashblend.core.blend.layers.tint import TintLayer, lower_tint
from ashblend.core.materials.look import Look
from ashblend.core.recipe.lowering import Lowering

# (the layer, its path in the document, what may be asked for, what is below) → what is there then
Lower = Callable[[Any, str, Lowering, Look], Laid]

Layer = Annotated[CoverLayer | FilmLayer | ReliefLayer | TintLayer, Field(discriminator="kind")]
LAYER_KINDS: dict[str, Lower] = {
    "cover": lower_cover,
    "film": lower_film,
    "relief": lower_relief,
    "tint": lower_tint,
}

LAYER_DOCUMENTS: dict[str, type[LayerDocument]] = {
    "cover": CoverLayer,
    "film": FilmLayer,
    "relief": ReliefLayer,
    "tint": TintLayer,
}
