"""What blends, recipes and fills are made of, as these say it themselves."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel

from ashblend.core.blend.document import Ground
from ashblend.core.blend.layers.protocol import LayerDocument
from ashblend.core.blend.layers.registry import LAYER_DOCUMENTS
from ashblend.core.blend.layers.tint import COLOURINGS
from ashblend.core.brush.fills.fill import FILLS
from ashblend.core.brush.fills.protocol import Extent
from ashblend.core.materials.mapping import Far
from ashblend.core.recipe.document import Recipe, Term, Uneven, Warp
from ashblend.core.recipe.sources.constant import ConstantSource
from ashblend.core.recipe.sources.registry import SOURCE_DOCUMENTS
from ashblend.core.setting import Setting
from ashblend.core.survey.protocol import SPREAD, MeasureDocument
from ashblend.core.survey.registry import MEASURES
from ashblend.server.routes.parts import DatabaseSession
from ashblend.store.surfaces import get_surface

router = APIRouter(prefix="/api", tags=["ingredients"])


class SourceView(BaseModel):
    """A kind of source. ends: the first ones of a ramp over it, in its unit. placed: warping moves it. live: it is
    worked out at every pixel; else once, as an undercoat. on_meshes, on_terrain: where there is such a thing.

    first: a new one, but for the channel or the material that it needs.
    """

    kind: str
    title: str
    about: str
    unit: str
    ends: tuple[float, float]
    placed: bool
    live: bool
    on_meshes: bool
    on_terrain: bool
    settings: list[Setting]
    first: dict[str, Any]


class KindView(BaseModel):
    """A kind of layer. first: a new one of it, but for its id, name, mask and material. look: what can be set of its look.
    hides: whether it takes a share of the surface from what is under it.
    """

    kind: str
    title: str
    about: str
    first: dict[str, Any]
    look: list[Setting]
    hides: bool


class Ingredients(BaseModel):
    """What blends and recipes are made of. ground, bare: what can be set of the ground's look, with a material and without."""

    sources: list[SourceView]
    kinds: list[KindView]
    ground: list[Setting]
    bare: list[Setting]
    term: dict[str, Any]
    warp: dict[str, Any]
    uneven: dict[str, Any]
    far: dict[str, Any]
    colourings: dict[str, Any]


# Stands where the page puts a material or a channel set of its own.
NOBODY = UUID(int=0)
CHOSEN = {
    "channel_set": NOBODY,
    "channel": 0,
    "material": NOBODY,
    "picture": NOBODY,
    "id": "new",
    "name": "New",
    "mask": Recipe(),
    "along": Recipe(),
}


def _first(document: type[BaseModel]) -> dict[str, Any]:
    """A new document, with what must be chosen left to whoever makes one."""
    fields = document.model_fields
    chosen = {key: value for key, value in CHOSEN.items() if key in fields and fields[key].is_required()}
    first = document.first if issubclass(document, LayerDocument) else {}
    return document(**chosen, **first).model_dump(mode="json")


@router.get("/ingredients")
def get_ingredients() -> Ingredients:
    """Everything that a term can begin with and that a layer can be, with the values that each has first."""
    return Ingredients(
        sources=[
            SourceView(
                kind=kind,
                title=d.title,
                about=d.about,
                unit=d.unit,
                ends=d.ends,
                placed=d.placed,
                live=d.live,
                on_meshes=kind not in MEASURES or MEASURES[kind].of_meshes,
                on_terrain=kind not in MEASURES or MEASURES[kind].of_terrain,
                settings=[*d.settings, *([SPREAD] if issubclass(d, MeasureDocument) and d.spreads else [])],
                first=_first(d),
            )
            for kind, d in SOURCE_DOCUMENTS.items()
        ],
        kinds=[
            KindView(
                kind=kind, title=d.title, about=d.about, first=_first(d), look=list(d.look), hides=d.hides
            )
            for kind, d in LAYER_DOCUMENTS.items()
        ],
        ground=list(Ground.look),
        bare=list(Ground.bare),
        term=Term(source=ConstantSource()).model_dump(mode="json"),
        warp=Warp().model_dump(mode="json"),
        uneven=Uneven().model_dump(mode="json"),
        far=Far().model_dump(mode="json"),
        colourings={kind: _first(document) for kind, document in COLOURINGS.items()},
    )


class FillView(BaseModel):
    """A fill on a surface. first: what it begins with. settings: what can be set of it there."""

    kind: str
    title: str
    about: str
    first: dict[str, Any]
    settings: list[Setting]


@router.get("/surfaces/{ident}/fills")
def get_fills(ident: UUID, session: DatabaseSession) -> list[FillView]:
    """Everything that can be done to a whole channel, as it fits the surface."""
    facts = get_surface(session, ident).facts
    of = Extent(tuple(facts["low"]), tuple(facts["size"]), float(facts.get("spacing_median") or 0.0))
    return [
        FillView(
            kind=fill.model_fields["kind"].default,
            title=fill.title,
            about=fill.about,
            first=fill.first(of).model_dump(mode="json"),
            settings=list(fill.settings(of)),
        )
        for fill in FILLS
    ]
