"""What faces a direction."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.brush.fills.protocol import WEIGHT, Extent, FillSettings, FillView, Unit, Wanted
from ashblend.core.ramp import ramp
from ashblend.core.setting import Setting

Degrees = Annotated[FiniteFloat, Field(ge=0, le=180)]
Vector = tuple[FiniteFloat, FiniteFloat, FiniteFloat]


DIRECTIONS = {
    "Up": (0.0, 1.0, 0.0),
    "Down": (0.0, -1.0, 0.0),
    "+X": (1.0, 0.0, 0.0),
    "−X": (-1.0, 0.0, 0.0),
    "+Z": (0.0, 0.0, 1.0),
    "−Z": (0.0, 0.0, -1.0),
}


def _degrees(key: str, title: str, about: str) -> Setting:
    return Setting(key=key, title=title, about=about, high=180, unit="°")


class FacingFill(FillSettings):
    """full, none: angle to the direction, in degrees, up to which it is full and from which nothing."""

    title: ClassVar[str] = "Facing"
    about: ClassVar[str] = "What faces a direction"

    kind: Literal["facing"] = "facing"
    weight: Unit = 1.0
    direction: Vector = (0.0, 1.0, 0.0)
    full: Degrees = 20.0
    none: Degrees = 50.0

    @classmethod
    def settings(cls, of: Extent) -> tuple[Setting, ...]:
        return (
            WEIGHT,
            Setting(
                title="Direction",
                about="What faces it is painted",
                choices=tuple(DIRECTIONS),
                puts={name: {"direction": to} for name, to in DIRECTIONS.items()},
            ),
            _degrees("full", "Full within", "Angle to the direction up to which it is full"),
            _degrees("none", "Nothing beyond", "Angle from which nothing is painted"),
        )

    def wanted(self, view: FillView) -> Wanted:
        direction = np.array(self.direction)
        length = np.sqrt(direction @ direction)
        towards = direction / length if length > 0 else np.array([0.0, 1.0, 0.0])
        cosine = view.window.normals.astype(np.float64) @ towards
        return Wanted(self.weight, ramp(cosine, np.cos(np.radians(self.none)), np.cos(np.radians(self.full))))

    def label(self, name: str) -> str:
        return f"Fill {name} by facing"
