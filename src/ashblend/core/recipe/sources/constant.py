"""The same everywhere."""

from typing import Annotated, ClassVar, Literal

from pydantic import Field, FiniteFloat

from ashblend.core.recipe.lowering import Lowering
from ashblend.core.recipe.sources.protocol import SourceDocument, SourceValue
from ashblend.core.setting import Setting, share


class ConstantSource(SourceDocument):
    title: ClassVar[str] = "Even"
    about: ClassVar[str] = "The same everywhere"
    settings: ClassVar[tuple[Setting, ...]] = (share("value", "Weight", "The same everywhere"),)

    kind: Literal["constant"] = "constant"
    value: Annotated[FiniteFloat, Field(ge=0, le=1)] = 1.0


def lower_constant(_: ConstantSource, path: str, at: Lowering) -> SourceValue:
    return SourceValue(at.number(f"{path}/value"), whole=True)
