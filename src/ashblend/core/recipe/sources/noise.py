"""Noise in space."""

from typing import Annotated, Literal

from pydantic import Field, FiniteFloat

from ashblend.core.recipe.lowering import Lowering, name_of
from ashblend.core.recipe.sources.protocol import SourceDocument, SourceValue
from ashblend.core.tree import Noise, Parameter, fact, host, pointer


class NoiseSource(SourceDocument):
    """metres: size of its largest features. octaves: finer ones, each of half the size and weight."""

    kind: Literal["noise"] = "noise"
    metres: Annotated[FiniteFloat, Field(ge=0.001, le=1e5)] = 0.5
    octaves: Annotated[int, Field(ge=1, le=8)] = 3
    seed: Annotated[int, Field(ge=0, le=2**30)] = 0


def lower_noise(source: NoiseSource, path: str, at: Lowering) -> SourceValue:
    # Whole features between the world's origin and the surface's are counted apart: see `tree.Noise`.
    size = pointer(f"{path}/metres")
    features = [host("divide", fact(f"origin_{axis}"), size) for axis in "xyz"]
    name = name_of(path)
    whole = Parameter(f"{name}_whole", tuple(host("floor", f) for f in features))
    rest = Parameter(f"{name}_rest", tuple(host("fract", f) for f in features))
    place = at.stream("position", 3) / at.number(f"{path}/metres") + rest
    return SourceValue(Noise(place, whole, source.seed, source.octaves))
