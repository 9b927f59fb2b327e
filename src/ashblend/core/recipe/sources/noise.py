"""Noise in space."""

from typing import Annotated, ClassVar, Literal

from pydantic import Field, FiniteFloat

from ashblend.core.noise import NoiseKind
from ashblend.core.recipe.lowering import Lowering
from ashblend.core.recipe.noise import noise_over
from ashblend.core.recipe.sources.protocol import SourceDocument, SourceValue
from ashblend.core.setting import Setting, size
from ashblend.core.tree.operations import clamp

Metres = Annotated[FiniteFloat, Field(ge=0.001, le=1e5)]
Seed = Annotated[int, Field(ge=0, le=2**30)]


class NoiseSource(SourceDocument):
    """metres: size of its largest features. octaves: finer ones, each of half the size and weight.

    form: clouds, ridges or cells. contrast: around the middle.
    """

    title: ClassVar[str] = "Noise"
    about: ClassVar[str] = "Clouds, ridges or cells, in metres"
    placed: ClassVar[bool] = True
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            key="form",
            title="Form of the noise",
            about="Soft patches, sharp crests, or pebbles and cells",
            choices=("gradient", "ridged", "cellular"),
            names=("Clouds", "Ridges", "Cells"),
        ),
        size("metres", "Size", "Size of its largest features", 0.005, 50),
        Setting(
            key="octaves",
            title="Detail",
            about="How many finer layers, each of half the size",
            low=1,
            high=8,
            whole=True,
        ),
        Setting(key="contrast", title="Contrast", about="Around the middle", high=8, step=0.05),
        Setting(key="seed", title="Seed", about="Another number, another pattern", high=99, whole=True),
    )

    kind: Literal["noise"] = "noise"
    form: NoiseKind = "gradient"
    metres: Metres = 0.5
    octaves: Annotated[int, Field(ge=1, le=8)] = 3
    seed: Seed = 0
    contrast: Annotated[FiniteFloat, Field(ge=0, le=16)] = 1.0


def lower_noise(source: NoiseSource, path: str, at: Lowering) -> SourceValue:
    node = noise_over(at, path, seed=source.seed, octaves=source.octaves, kind=source.form)
    if source.contrast != 1:
        node = clamp(0.5 + (node - 0.5) * at.number(f"{path}/contrast"), 0, 1)
    return SourceValue(node, whole=True)
