"""A measure of the surface, as a term begins with it: worked out once, at sites, and never at a pixel."""

from ashblend.core.recipe.lowering import Lowering
from ashblend.core.recipe.sources.protocol import SourceValue
from ashblend.core.survey.protocol import MeasureDocument


def lower_measured(measure: MeasureDocument, _: str, at: Lowering) -> SourceValue:
    return SourceValue(at.measured(measure))
