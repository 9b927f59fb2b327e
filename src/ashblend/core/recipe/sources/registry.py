"""All sources of terms. A new one is one new file and one line in the union and in the registries."""

from collections.abc import Callable
from typing import Annotated, Any

from pydantic import Field

from ashblend.core.recipe.lowering import Lowering
from ashblend.core.recipe.sources.channel import ChannelSource, lower_channel
from ashblend.core.recipe.sources.constant import ConstantSource, lower_constant
from ashblend.core.recipe.sources.facing import FacingSource, lower_facing
from ashblend.core.recipe.sources.height import HeightSource, lower_height
from ashblend.core.recipe.sources.material import MaterialSource, lower_material
from ashblend.core.recipe.sources.measured import lower_measured
from ashblend.core.recipe.sources.noise import NoiseSource, lower_noise
from ashblend.core.recipe.sources.picture import PictureSource, lower_picture
from ashblend.core.recipe.sources.protocol import SourceDocument, SourceValue
from ashblend.core.recipe.sources.slope import SlopeSource, lower_slope
from ashblend.core.survey.registry import MEASURES, AnyMeasure

Source = Annotated[
    ConstantSource
    | ChannelSource
    | HeightSource
    | SlopeSource
    | FacingSource
    | NoiseSource
    | MaterialSource
    | PictureSource
    | AnyMeasure,
    Field(discriminator="kind"),
]
SOURCES: dict[str, Callable[[Any, str, Lowering], SourceValue]] = {
    "channel": lower_channel,
    "height": lower_height,
    "slope": lower_slope,
    "facing": lower_facing,
    "noise": lower_noise,
    "material": lower_material,
    "picture": lower_picture,
    "constant": lower_constant,
    **dict.fromkeys(MEASURES, lower_measured),
}

_LIVE: tuple[type[SourceDocument], ...] = (
    ChannelSource,
    HeightSource,
    SlopeSource,
    FacingSource,
    NoiseSource,
    MaterialSource,
    PictureSource,
    ConstantSource,
)
_MEASURED: tuple[type[SourceDocument], ...] = tuple(measure.document for measure in MEASURES.values())
SOURCE_DOCUMENTS: dict[str, type[SourceDocument]] = {
    str(document.model_fields["kind"].default): document for document in (*_LIVE, *_MEASURED)
}
