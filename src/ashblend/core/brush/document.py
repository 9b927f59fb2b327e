"""Brush settings and pointer samples, as they arrive from the artist's hand."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

FalloffName = Literal["smooth", "linear", "dome", "flat"]
Unit = Annotated[FiniteFloat, Field(ge=0, le=1)]
Vector = tuple[FiniteFloat, FiniteFloat, FiniteFloat]


class Brush(BaseModel):
    """What the artist has set.

    act: paint toward a target weight, or erase (lift the paint off, showing the undercoat).
    radius: metres. spacing: distance between dabs as a fraction of the radius.
    coat: "single" takes the strongest dab at each site over the stroke; "many" lets dabs build
    up by flow, capped by strength.
    reach: "ball" takes every site within the radius, "skin" only those connected to the hit.
    facing_limit: degrees between a site's normal and the brush's beyond which it is left alone;
    180 takes all.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    act: Literal["paint", "erase"] = "paint"
    radius: Annotated[FiniteFloat, Field(gt=1e-6, le=1e5)] = 0.35
    strength: Unit = 0.6
    target: Unit = 1.0
    falloff: FalloffName = "smooth"
    reach: Literal["ball", "skin"] = "skin"
    facing_limit: Annotated[FiniteFloat, Field(ge=0, le=180)] = 90.0
    coat: Literal["single", "many"] = "single"
    flow: Unit = 0.25
    spacing: Annotated[FiniteFloat, Field(ge=0.02, le=2)] = 0.15
    pressure_drives: Literal["nothing", "strength", "radius"] = "strength"


class PointerSample(BaseModel):
    """One place where the pointer met the surface: hit point, normal there, pen pressure."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    position: Vector
    normal: Vector
    pressure: Unit = 1.0
