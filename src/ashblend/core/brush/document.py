"""Brush settings and pointer samples, as they arrive from the artist's hand."""

from typing import Annotated, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, model_validator

from ashblend.core.curve import Curve

ActName = Literal["paint", "erase", "add", "subtract", "smooth", "sharpen", "smear", "sampled"]
FalloffName = Literal["smooth", "linear", "dome", "flat", "curve"]
Unit = Annotated[FiniteFloat, Field(ge=0, le=1)]
Step = Annotated[int, Field(ge=0, le=65535)]
# As far out as a mesh may reach, and a little.
Coordinate = Annotated[FiniteFloat, Field(ge=-1e8, le=1e8)]
Vector = tuple[FiniteFloat, FiniteFloat, FiniteFloat]
Axis = Literal["x", "y", "z"]
Driven = Literal["nothing", "strength", "radius"]


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Stencil(_Part):
    """An image that thins the brush: where it is dark, nothing is painted.

    place: "tip" lays it on the brush, once; "view" projects it from the eye, repeated; "ground" lays it on the
    ground from above, repeated, metres wide.
    rotation: degrees. follow: turn the tip with the stroke. scale: of the brush's width (tip)
    or of the view's height (view). jitter: how far rotation and place vary from dab to dab, 0..1.
    view: rows of a 3 × 4 matrix from position to homogeneous view coordinates (x right and y up,
    the view's height is 1), for place "view" only.
    """

    image: UUID
    place: Literal["tip", "view", "ground"] = "tip"
    rotation: Annotated[FiniteFloat, Field(ge=-360, le=360)] = 0.0
    follow: bool = False
    scale: Annotated[FiniteFloat, Field(gt=0.01, le=20)] = 1.0
    jitter: Unit = 0.0
    metres: Annotated[FiniteFloat, Field(ge=0.001, le=1e5)] = 10.0
    view: Annotated[tuple[FiniteFloat, ...], Field(min_length=12, max_length=12)] | None = None

    @model_validator(mode="after")
    def _view_given(self) -> "Stencil":
        if self.place == "view" and self.view is None:
            raise ValueError("a stencil projected from the view needs the view")
        return self


class BrushNoise(_Part):
    """Noise that thins the brush. amount: how much. metres: size of its features."""

    amount: Unit = 0.0
    metres: Annotated[FiniteFloat, Field(gt=1e-4, le=1e4)] = 0.2
    seed: Annotated[int, Field(ge=0, le=2**31)] = 0


class Symmetry(_Part):
    """Copies of every dab. mirror: across the planes of these axes. turns: copies round an axis."""

    mirror: Annotated[tuple[Axis, ...], Field(max_length=3)] = ()
    turns: Annotated[int, Field(ge=1, le=32)] = 1
    axis: Axis = "y"
    origin: Vector = (0.0, 0.0, 0.0)


class Brush(_Part):
    """What the artist has set.

    act: what a stroke does; see `acts`. radius: metres. target: the weight painted toward; how
    much is added or subtracted; how strongly contrast rises. numbers: what is painted toward where a value is several
    numbers. spacing: distance between dabs as a
    fraction of the radius. coat: "single" takes the strongest dab at each site over the stroke;
    "many" lets dabs build up by flow, capped by strength. curve: the falloff from centre to rim,
    for falloff "curve". reach: "ball" takes every site within the radius, "skin" only those
    connected to the hit. facing_limit: degrees between a site's normal and the brush's beyond which
    it is left alone; 180 takes all. smoothing: how far smooth and sharpen look, as a fraction of
    the radius. pressure_curve: the pen's response. flipped: lower instead of raise, for one stroke.
    """

    act: ActName = "paint"
    radius: Annotated[FiniteFloat, Field(gt=1e-6, le=1e5)] = 0.35
    strength: Unit = 0.6
    target: Unit = 1.0
    numbers: Annotated[tuple[Step, ...], Field(max_length=4)] | None = None
    falloff: FalloffName = "smooth"
    curve: Curve | None = None
    reach: Literal["ball", "skin"] = "skin"
    facing_limit: Annotated[FiniteFloat, Field(ge=0, le=180)] = 90.0
    coat: Literal["single", "many"] = "single"
    flow: Unit = 0.25
    spacing: Annotated[FiniteFloat, Field(ge=0.02, le=2)] = 0.15
    smoothing: Annotated[FiniteFloat, Field(ge=0.02, le=0.5)] = 0.15
    pressure_drives: Driven = "strength"
    pressure_curve: Curve | None = None
    tilt_drives: Driven = "nothing"
    tilt_curve: Curve | None = None
    stencil: Stencil | None = None
    noise: BrushNoise | None = None
    symmetry: Symmetry | None = None
    flipped: bool = False

    @model_validator(mode="after")
    def _curve_given(self) -> "Brush":
        if self.falloff == "curve" and self.curve is None:
            raise ValueError("the falloff curve is missing")
        return self


class PointerSample(_Part):
    """One place where the pointer met the surface.

    position, normal: of the hit. pressure: 0..1. tilt: of the pen, 0 upright to 1 lying flat.
    """

    position: tuple[Coordinate, Coordinate, Coordinate]
    normal: Vector
    pressure: Unit = 1.0
    tilt: Unit = 0.0
