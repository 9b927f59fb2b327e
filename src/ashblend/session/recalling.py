"""Measures of an open surface that were worked out before it was opened: kept in the database, in their own units."""

from uuid import UUID

from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.shape import Shape
from ashblend.core.survey.protocol import MeasureDocument
from ashblend.session.surface import OpenSurface
from ashblend.store.database import Sessions
from ashblend.store.measures import keep_measure, kept_measure, measure_key


def at_hand(surface: OpenSurface, found: OpenSet, measure: MeasureDocument) -> bool:
    """Whether a measure is known, now or from before. Raises Refusal where the surface has none of its kind."""
    shape = surface.shape
    if shape.measures.has(measure, found.sites):
        return True
    with surface.sessions.begin() as session:
        values = kept_measure(session, surface.ident, measure_key(shape, found.kind, measure))
    if values is None:
        return False
    shape.measures.put(measure, found.sites, values)
    return True


def keep(sessions: Sessions, ident: UUID, shape: Shape, found: OpenSet, measure: MeasureDocument) -> None:
    """Keep a measure that has been worked out, for when the surface is opened again."""
    values = shape.measures.raw(measure, found.sites)
    if values is not None:
        with sessions.begin() as session:
            keep_measure(session, ident, measure_key(shape, found.kind, measure), values)
