"""Facing: the angle between the surface and a direction, in degrees; linear in its cosine."""

from typing import Annotated, ClassVar, Literal

from pydantic import Field, FiniteFloat

from ashblend.core.recipe.lowering import Lowering, name_of
from ashblend.core.recipe.sources.protocol import SourceDocument, SourceValue, Unit
from ashblend.core.recipe.sources.slope import degrees_of
from ashblend.core.tree import Parameter, dot, host, pointer


class FacingSource(SourceDocument):
    """azimuth: degrees round the vertical, from +z toward +x. elevation: degrees above level."""

    title: ClassVar[str] = "Facing"
    about: ClassVar[str] = "How far a place turns from a direction: 0° toward it, 180° away"
    unit: ClassVar[Unit] = "°"
    ends: ClassVar[tuple[float, float]] = (90.0, 30.0)

    kind: Literal["facing"] = "facing"
    azimuth: Annotated[FiniteFloat, Field(ge=-360, le=360)] = 0.0
    elevation: Annotated[FiniteFloat, Field(ge=-90, le=90)] = 0.0


def lower_facing(_: FacingSource, path: str, at: Lowering) -> SourceValue:
    azimuth, elevation = pointer(f"{path}/azimuth"), pointer(f"{path}/elevation")
    level = host("cosine", elevation)
    toward = Parameter(
        name_of(f"{path}/toward"),
        (
            host("multiply", level, host("sine", azimuth)),
            host("sine", elevation),
            host("multiply", level, host("cosine", azimuth)),
        ),
    )
    return SourceValue(
        dot(at.stream("normal", 3), toward), lambda degrees: host("cosine", degrees), degrees_of, falls=True
    )
