"""The height map of a material, as it would lie on the surface."""

from typing import Annotated, ClassVar, Literal
from uuid import UUID

from pydantic import Field, FiniteFloat

from ashblend.core.materials.mapping import TileMapping
from ashblend.core.recipe.lowering import Lowering
from ashblend.core.recipe.sources.protocol import SourceDocument, SourceValue
from ashblend.core.setting import Setting, size
from ashblend.core.tree.operations import clamp


class MaterialSource(SourceDocument):
    """contrast: around the middle of the heights, which offset then lifts."""

    title: ClassVar[str] = "Material's height"
    about: ClassVar[str] = "How high a material stands: the joints of setts are 0, their tops 1"
    placed: ClassVar[bool] = True
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            key="material", title="Material of the term", about="Whose height map it takes", pick="material"
        ),
        size(
            "mapping/metres_per_tile",
            "Tile size",
            "Edge of one tile; as large as the layer's it costs no samples more",
            0.02,
            50,
        ),
        Setting(
            key="contrast", title="Contrast", about="Around the middle of the heights", high=8, step=0.05
        ),
        Setting(key="offset", title="Lift", about="Added to the heights", low=-1),
    )

    kind: Literal["material"] = "material"
    material: UUID
    mapping: TileMapping = TileMapping()
    contrast: Annotated[FiniteFloat, Field(ge=0, le=16)] = 1.0
    offset: Annotated[FiniteFloat, Field(ge=-1, le=1)] = 0.0


def lower_material(source: MaterialSource, path: str, at: Lowering) -> SourceValue:
    height = at.material(source.material, source.mapping, path).height
    if source.contrast != 1:
        height = 0.5 + (height - 0.5) * at.number(f"{path}/contrast")
    if source.offset != 0:
        height = height + at.number(f"{path}/offset")
    return SourceValue(clamp(height, 0, 1), whole=True)
