"""Facing: the angle between the surface and a direction, in degrees; linear in its cosine."""

from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field, FiniteFloat, model_validator

from ashblend.core.recipe.lowering import Lowering, name_of
from ashblend.core.recipe.sources.protocol import SourceDocument, SourceValue, Unit
from ashblend.core.recipe.sources.slope import degrees_of
from ashblend.core.setting import Setting
from ashblend.core.source_document import from_a_bearing
from ashblend.core.tree.host import host, pointer
from ashblend.core.tree.node import Parameter
from ashblend.core.tree.operations import dot


class FacingSource(SourceDocument):
    """azimuth: degrees clockwise from north. tilt: degrees up from level."""

    title: ClassVar[str] = "Facing"
    about: ClassVar[str] = "How far a place turns from a direction: 0° toward it, 180° away"
    unit: ClassVar[Unit] = "°"
    ends: ClassVar[tuple[float, float]] = (90.0, 30.0)
    settings: ClassVar[tuple[Setting, ...]] = from_a_bearing()

    kind: Literal["facing"] = "facing"
    azimuth: Annotated[FiniteFloat, Field(ge=0, le=360)] = 180.0
    tilt: Annotated[FiniteFloat, Field(ge=-90, le=90)] = 0.0

    @model_validator(mode="before")
    @classmethod
    def _as_bearings(cls, written: Any) -> Any:
        """Documents of before bearings were one counted from +z toward +x, and called the tilt an elevation."""
        if not isinstance(written, dict) or "elevation" not in written:
            return written
        kept = {key: value for key, value in written.items() if key != "elevation"}
        turned = written.get("azimuth", 0.0)
        if isinstance(turned, int | float):
            kept["azimuth"] = (180.0 - turned) % 360.0
        return {**kept, "tilt": written["elevation"]}


def lower_facing(_: FacingSource, path: str, at: Lowering) -> SourceValue:
    azimuth, tilt = pointer(f"{path}/azimuth"), pointer(f"{path}/tilt")
    level = host("cosine", tilt)
    toward = Parameter(
        name_of(f"{path}/toward"),
        (
            host("multiply", level, host("sine", azimuth)),
            host("sine", tilt),
            host("subtract", 0.0, host("multiply", level, host("cosine", azimuth))),
        ),
    )
    return SourceValue(
        dot(at.stream("normal", 3), toward), lambda degrees: host("cosine", degrees), degrees_of, falls=True
    )
