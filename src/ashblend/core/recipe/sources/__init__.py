"""What a term can begin with: one file, one line in the union and one in the registry for each."""

from collections.abc import Callable
from typing import Annotated, Any

from pydantic import Field

from ashblend.core.recipe.lowering import Lowering
from ashblend.core.recipe.sources.channel import ChannelSource, lower_channel
from ashblend.core.recipe.sources.constant import ConstantSource, lower_constant
from ashblend.core.recipe.sources.height import HeightSource, lower_height
from ashblend.core.recipe.sources.noise import NoiseSource, lower_noise
from ashblend.core.recipe.sources.protocol import SourceValue
from ashblend.core.recipe.sources.slope import SlopeSource, lower_slope

Source = Annotated[
    ConstantSource | ChannelSource | HeightSource | SlopeSource | NoiseSource,
    Field(discriminator="kind"),
]
SOURCES: dict[str, Callable[[Any, str, Lowering], SourceValue]] = {
    "constant": lower_constant,
    "channel": lower_channel,
    "height": lower_height,
    "slope": lower_slope,
    "noise": lower_noise,
}

__all__ = ["SOURCES", "Source", "SourceValue"]
