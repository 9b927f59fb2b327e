"""A light as a document: what an artist sets, and keeps by name."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

SkyKind = Literal["clear", "low sun", "overcast", "lamp"]
ToneMap = Literal["neutral", "plain"]


class Light(BaseModel):
    """azimuth, tilt: where the key light stands, in degrees; tilt from below the horizon to the zenith.

    haze: how much dust there is in the air, 1 on a clear day. angle: degrees that the key light measures across; the larger, the
    softer its shadows. strength: stops more of the key light than the sky has by itself. warmth: of the key light, −1 blue to
    1 red. follows: azimuth counts from where the eye looks, so that the light goes with it. shadows: whether it throws any.
    exposure: stops more than metered. white: how much of the light's own colour is taken for white. view: degrees
    of the field of view, from top to bottom.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    sky: SkyKind = "clear"
    azimuth: Annotated[float, Field(ge=0, lt=360, allow_inf_nan=False)] = 221.0
    tilt: Annotated[float, Field(ge=-12, le=90, allow_inf_nan=False)] = 40.0
    haze: Annotated[float, Field(ge=0.1, le=8, allow_inf_nan=False)] = 1.2
    angle: Annotated[float, Field(ge=0.1, le=40, allow_inf_nan=False)] = 1.0
    strength: Annotated[float, Field(ge=-6, le=4, allow_inf_nan=False)] = 0.0
    warmth: Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)] = 0.0
    follows: bool = False
    shadows: bool = True
    exposure: Annotated[float, Field(ge=-6, le=6, allow_inf_nan=False)] = 0.0
    white: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] = 0.6
    tone: ToneMap = "neutral"
    view: Annotated[float, Field(ge=12, le=90, allow_inf_nan=False)] = 38.0
