"""The same everywhere."""

from typing import Annotated, Literal

from pydantic import Field, FiniteFloat

from ashblend.core.recipe.lowering import Lowering
from ashblend.core.recipe.sources.protocol import SourceDocument, SourceValue


class ConstantSource(SourceDocument):
    kind: Literal["constant"] = "constant"
    value: Annotated[FiniteFloat, Field(ge=0, le=1)] = 1.0


def lower_constant(_: ConstantSource, path: str, at: Lowering) -> SourceValue:
    return SourceValue(at.number(f"{path}/value"))
