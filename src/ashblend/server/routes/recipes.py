"""What recipes come to on a surface, and what lenses show of them."""

import asyncio
from threading import Lock
from typing import Annotated
from uuid import UUID

import numpy as np
from fastapi import APIRouter, Query, Response
from pydantic import BaseModel

from ashblend.core.blend.border import BorderStyle
from ashblend.core.blend.compile import compile_blend
from ashblend.core.blend.document import BlendDocument
from ashblend.core.blend.lenses import AnyLens, lens_tree
from ashblend.core.blend.references import faults
from ashblend.core.formats.images import write_png
from ashblend.core.recipe.document import Recipe, Term
from ashblend.core.surface.border_picture import border_picture, bordered_blend
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.source_profile import source_profile
from ashblend.core.survey.protocol import MeasureDocument
from ashblend.core.tree.host import value_at
from ashblend.server.compiled import LensView, lens_view
from ashblend.server.routes.parts import OpenRooms
from ashblend.session.asking import ask
from ashblend.session.recalling import at_hand
from ashblend.session.surface import OpenSurface
from ashblend.store.blends import blend_of, known_on, names_of, resolved_document
from ashblend.store.surfaces import get_surface

router = APIRouter(prefix="/api", tags=["recipes"])


class ProfileWish(BaseModel):
    """channel_set: at whose sites the term's source is asked."""

    channel_set: UUID
    term: Term


class ProfileView(BaseModel):
    """low, high: in the source's unit. shares: of the area, from low to high. area: m². covered: how much of it the term
    takes in. measured: all that is known; else the measure has not been worked out. problem: why it cannot be.
    """

    low: float
    high: float
    shares: list[float]
    measured: bool = True
    problem: str = ""
    quarter: float
    middle: float
    three_quarters: float
    area: float
    covered: float


def _unmeasured(term: Term, problem: str = "") -> ProfileView:
    low, high = sorted((term.low, term.high))
    return ProfileView(
        low=low,
        high=high,
        shares=[],
        measured=False,
        problem=problem,
        quarter=low,
        middle=low,
        three_quarters=low,
        area=0,
        covered=0,
    )


def _profile(surface: OpenSurface, wish: ProfileWish) -> ProfileView:
    found = surface.set_of(wish.channel_set)
    source = wish.term.source
    if isinstance(source, MeasureDocument):
        try:
            ask(surface, [source])
            there = at_hand(surface, found, source)
        except Refusal as refusal:
            # It is said where the term is, and not in the way of all else.
            return _unmeasured(wish.term, f"{refusal} {refusal.remedy}")
        if not there:
            # It may take minutes, and is begun by running the undercoat.
            return _unmeasured(wish.term)
    # A mask may name the sets of another surface that its blend was made on.
    with surface.sessions() as session:
        names = names_of(get_surface(session, surface.ident))
    term = names.recipe(Recipe(terms=(wish.term,))).terms[0]
    told = source_profile(surface.shape, surface.sets, found, term, surface.textures)
    return ProfileView(
        low=told.low,
        high=told.high,
        shares=[float(v) for v in told.shares],
        quarter=told.quarter,
        middle=told.middle,
        three_quarters=told.three_quarters,
        area=told.area,
        covered=told.covered,
    )


@router.post("/surfaces/{ident}/profile")
async def profile_source(ident: UUID, wish: ProfileWish, rooms: OpenRooms) -> ProfileView:
    """How a source is spread over a surface."""
    async with rooms.enter(ident) as room:
        return await room.call(_profile, room.surface, wish)


WIDTH, HEIGHT = 90, 33

# One at a time: three of them at once would hold up everything else that the process does.
_DRAWING = Lock()


def _border(surface: OpenSurface, layer: str, style: BorderStyle) -> bytes:
    with surface.sessions() as session:
        document = resolved_document(session, blend_of(session, surface.ident))
    shown = bordered_blend(BlendDocument.model_validate(document), layer, style)
    if shown is None:
        raise Refusal("This layer has no material to show a border of.", "")
    plain = shown.model_dump(mode="json")
    tree = compile_blend(shown)
    materials = [UUID(value_at(plain, slot)) for slot in tree.slots]
    with _DRAWING:
        return write_png(border_picture(shown, tree, surface.textures(materials, []), WIDTH, HEIGHT))


@router.get("/surfaces/{ident}/border", response_class=Response)
async def get_border(
    ident: UUID, layer: Annotated[str, Query(max_length=40)], style: BorderStyle, rooms: OpenRooms
) -> Response:
    """How a layer's border on what is under it looks in a style: worked out from the two materials."""
    # Beside the surface's own thread: a pen must not wait for it.
    async with rooms.enter(ident) as room:
        data = await asyncio.to_thread(_border, room.surface, layer, style)
    return Response(data, media_type="image/png", headers={"cache-control": "no-cache"})


def _lens(surface: OpenSurface, lens: AnyLens) -> LensView:
    with surface.sessions() as session:
        row = get_surface(session, surface.ident)
        document = resolved_document(session, blend_of(session, surface.ident))
        known = known_on(session, row)
        names = names_of(row)
    parsed = BlendDocument.model_validate(document)
    faulty = [fault.part for fault in faults(parsed, known)]
    inputs = surface.shape.inputs(0)
    origin = float(inputs.origin[1])
    heights = inputs.arrays["position"][:, 1] + origin
    try:
        tree = lens_tree(lens, parsed, faulty, float(np.min(heights)), float(np.max(heights)), origin)
    except ValueError as error:
        raise Refusal(str(error), "Choose another one.") from error
    return lens_view(tree, document if tree.document is None else tree.document, names)


@router.post("/surfaces/{ident}/lens")
async def compile_lens(ident: UUID, lens: AnyLens, rooms: OpenRooms) -> LensView:
    """A program that shows one number of the blend, or of a recipe, at every place."""
    async with rooms.enter(ident) as room:
        return await room.call(_lens, room.surface, lens)
