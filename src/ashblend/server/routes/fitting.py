"""What fits a surface: terms and recipes to begin with, and what measures can be picked from."""

from typing import Annotated
from uuid import UUID

import numpy as np
from fastapi import APIRouter, BackgroundTasks, Query
from pydantic import BaseModel, FiniteFloat

from ashblend.core.bearing import bearing
from ashblend.core.recipe.document import Recipe, Term
from ashblend.core.recipe.ready import ON_MESHES, ON_TERRAIN, Extent, fitted
from ashblend.core.sets.document import ChannelSetDocument
from ashblend.core.surface.kinds.registry import SITE_KIND
from ashblend.core.surface.refusal import Refusal
from ashblend.core.survey.borrow import BorrowMeasure
from ashblend.core.survey.inside import InsideMeasure
from ashblend.core.survey.lent import ChannelOf
from ashblend.core.survey.protocol import round_length
from ashblend.core.survey.registry import MEASURES
from ashblend.server.routes.parts import OpenRooms
from ashblend.session.surface import OpenSurface
from ashblend.store.surfaces import channel_sets_of
from ashblend.store.surroundings import neighbours_for

router = APIRouter(prefix="/api", tags=["fitting"])


class ReadyView(BaseModel):
    """A recipe to begin with. picture: kind of the measure whose picture stands for it, or empty."""

    name: str
    about: str
    picture: str
    recipe: Recipe


class LenderView(BaseModel):
    """A channel that can be borrowed. name: of the surface or the level, the set where there are several, the channel."""

    channel: ChannelOf
    name: str


class Fitting(BaseModel):
    """What fits a surface: the term that each measure begins with, by kind, recipes to begin with, and channels that can
    be borrowed. spread: metres over which a measure is commonly evened out at most.
    """

    terms: dict[str, Term]
    ready: list[ReadyView]
    lenders: list[LenderView]
    spread: float


def _lenders(surface: OpenSurface) -> list[LenderView]:
    """Of its own lower levels, and of the other surfaces of the project."""
    own = [
        (None, f.id, surface.shape.levels[f.level - 1].name, f.document.name, f.document.channels)
        for f in surface.sets.values()
        if f.level
    ]
    with surface.sessions() as session:
        others = [
            (ident, row.id, name, document.name, document.channels)
            for ident, name in neighbours_for(session, surface.ident).items()
            for row in channel_sets_of(session, ident)
            if not SITE_KIND.validate_python(row.sites).follows
            for document in (ChannelSetDocument.model_validate(row.document),)
        ]
    return [
        LenderView(
            channel=ChannelOf(surface=ident, channel_set=channel_set, channel=number),
            name=f"{name} · {of_set} · {channel.name}",
        )
        for ident, channel_set, name, of_set, channels in (*own, *others)
        for number, channel in enumerate(channels)
    ]


def _begun(term: Term, groups: list[str], lenders: list[LenderView]) -> Term:
    """With the first of what has to be picked."""
    source = term.source
    if isinstance(source, InsideMeasure) and groups:
        source = source.model_copy(update={"group": groups[0]})
    elif isinstance(source, BorrowMeasure) and lenders:
        source = source.model_copy(update={"lender": lenders[0].channel})
    return term.model_copy(update={"source": source})


def _fitting(surface: OpenSurface) -> Fitting:
    shape = surface.shape
    at = shape.mesh.positions
    low, high = at.min(axis=0).astype(np.float64), at.max(axis=0).astype(np.float64)
    of = Extent(float(np.linalg.norm(high - low)), float(low[1]), float(high[1]))
    measures = [m for m in MEASURES.values() if (m.of_terrain and not m.over if shape.grown else m.of_meshes)]
    groups, lenders = [group.name for group in shape.mesh.groups], _lenders(surface)
    return Fitting(
        terms={m.kind: _begun(fitted(m.document, of), groups, lenders) for m in measures},
        lenders=lenders,
        spread=round_length(of.size / 10),
        ready=[
            ReadyView(name=r.name, about=r.about, picture=r.picture, recipe=r.recipe(of))
            for r in (ON_TERRAIN if shape.grown else ON_MESHES)
        ],
    )


@router.get("/surfaces/{ident}/fitting")
async def get_fitting(ident: UUID, rooms: OpenRooms, after: BackgroundTasks) -> Fitting:
    """Terms and recipes in metres that fit a surface."""
    async with rooms.enter(ident) as room:
        found = await room.call(_fitting, room.surface)
        # Whoever asks what fits may measure soon.
        shape = room.surface.shape
        after.add_task(shape.measures.get_ready, shape.vertices)
        return found


class Bearing(BaseModel):
    """Degrees clockwise from north, and up from level."""

    azimuth: float
    tilt: float


Finite = Annotated[FiniteFloat, Query(ge=-1e6, le=1e6)]


@router.get("/bearing")
def get_bearing(x: Finite, y: Finite, z: Finite) -> Bearing:
    """Where a direction leads."""
    try:
        azimuth, tilt = bearing(np.array([x, y, z]))
    except ValueError as error:
        raise Refusal(str(error), "Move the key light first.") from error
    return Bearing(azimuth=azimuth, tilt=tilt)
