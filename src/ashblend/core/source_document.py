"""What the document of a thing that a term can begin with says of itself."""

from typing import ClassVar, Literal

from pydantic import BaseModel, ConfigDict

from ashblend.core.bearing import CLOCKWISE
from ashblend.core.setting import Setting


def from_a_bearing() -> tuple[Setting, Setting]:
    """Of a direction that something comes from, or that a place is held against."""
    return (
        Setting(
            key="azimuth",
            title="From",
            about=CLOCKWISE,
            pick="key light",
            compass=True,
            low=0,
            high=360,
            unit="°",
        ),
        Setting(
            key="tilt",
            title="Height of it",
            about="Up from level; 90 is overhead",
            low=-90,
            high=90,
            unit="°",
        ),
    )


Unit = Literal["", "m", "°", "m²", "%"]


class SourceDocument(BaseModel):
    """title, about: for the artist. unit: of its ends. ends: the first ones. placed: it can be asked about a place
    beside the one at hand, so that warping it moves it. live: it is worked out anew at every pixel; else once, at
    sites.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    title: ClassVar[str]
    about: ClassVar[str]
    unit: ClassVar[Unit] = ""
    ends: ClassVar[tuple[float, float]] = (0.0, 1.0)
    placed: ClassVar[bool] = False
    live: ClassVar[bool] = True
    settings: ClassVar[tuple[Setting, ...]] = ()
