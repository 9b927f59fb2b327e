"""What recipes are made of, and what lenses show of them."""

from uuid import UUID

import numpy as np
from fastapi import APIRouter
from pydantic import BaseModel

from ashblend.core.blend import BlendDocument, faults
from ashblend.core.blend.lenses import AnyLens, lens_tree
from ashblend.core.recipe import Term
from ashblend.core.recipe.sources import SOURCE_DOCUMENTS
from ashblend.core.surface import Refusal
from ashblend.core.surface.source_profile import SourceProfile, source_profile
from ashblend.server.compiled import LensView, lens_view
from ashblend.server.live.surface import OpenSurface
from ashblend.server.routes.parts import OpenRooms
from ashblend.store.blends import blend_of, known_on, resolved_document
from ashblend.store.surfaces import get_surface

router = APIRouter(prefix="/api", tags=["recipes"])


class SourceView(BaseModel):
    """A kind of source. ends: the first ones of a ramp over it, in its unit. placed: warping moves it."""

    kind: str
    title: str
    about: str
    unit: str
    ends: tuple[float, float]
    placed: bool


@router.get("/sources")
def get_sources() -> list[SourceView]:
    """Everything that a term can begin with."""
    return [
        SourceView(kind=kind, title=d.title, about=d.about, unit=d.unit, ends=d.ends, placed=d.placed)
        for kind, d in SOURCE_DOCUMENTS.items()
    ]


class ProfileWish(BaseModel):
    """channel_set: at whose sites the term's source is asked."""

    channel_set: UUID
    term: Term


class ProfileView(BaseModel):
    """low, high: in the source's unit. shares: of the area, from low to high."""

    low: float
    high: float
    shares: list[float]
    quarter: float
    middle: float
    three_quarters: float


def _profile(surface: OpenSurface, wish: ProfileWish) -> SourceProfile:
    found = surface.set_of(wish.channel_set)
    return source_profile(surface.shape, surface.sets, found, wish.term, surface.texels)


@router.post("/surfaces/{ident}/profile")
async def profile_source(ident: UUID, wish: ProfileWish, rooms: OpenRooms) -> ProfileView:
    """How a source is spread over a surface."""
    async with rooms.enter(ident) as room:
        found = await room.call(_profile, room.surface, wish)
    return ProfileView(
        low=found.low,
        high=found.high,
        shares=[float(v) for v in found.shares],
        quarter=found.quarter,
        middle=found.middle,
        three_quarters=found.three_quarters,
    )


def _lens(surface: OpenSurface, lens: AnyLens) -> LensView:
    with surface.sessions() as session:
        row = get_surface(session, surface.ident)
        document = resolved_document(session, blend_of(session, surface.ident))
        known = known_on(session, row)
        bindings = row.bindings
    parsed = BlendDocument.model_validate(document)
    faulty = [fault.part for fault in faults(parsed, known)]
    heights = surface.shape.mesh.positions[:, 1]
    origin = float(surface.shape.inputs(0).origin[1])
    try:
        tree = lens_tree(lens, parsed, faulty, float(np.min(heights)), float(np.max(heights)), origin)
    except ValueError as error:
        raise Refusal(str(error), "Choose another one.") from error
    return lens_view(tree, document if tree.document is None else tree.document, bindings)


@router.post("/surfaces/{ident}/lens")
async def compile_lens(ident: UUID, lens: AnyLens, rooms: OpenRooms) -> LensView:
    """A program that shows one number of the blend, or of a recipe, at every place."""
    async with rooms.enter(ident) as room:
        return await room.call(_lens, room.surface, lens)
