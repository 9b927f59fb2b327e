"""What measures of an open surface ask besides its mesh: what stands around it, its own channels, other surfaces."""

from collections.abc import Iterable, Iterator
from uuid import UUID

from ashblend.core.sets.document import MeasuredUndercoat
from ashblend.core.surface.lending import hear_own
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.undercoat import measures_of
from ashblend.core.survey.lent import Lent
from ashblend.core.survey.protocol import MeasureDocument
from ashblend.session.around import look_around
from ashblend.session.borrowing import hear_others
from ashblend.session.surface import OpenSurface


def ask(surface: OpenSurface, measures: Iterable[MeasureDocument]) -> None:
    """Have the surface's shape know all that measures are made from, as it is now. Raises Refusal."""
    asking = list(measures)
    if any(measure.amid for measure in asking):
        look_around(surface.sessions, surface.ident, surface.shape)
    hear_own(surface.shape, surface.sets, asking)
    hear_others(surface, asking)


def _measures_under(surface: OpenSurface) -> Iterator[MeasureDocument]:
    for found in surface.sets.values():
        for channel in found.document.channels:
            if isinstance(channel.undercoat, MeasuredUndercoat):
                yield from measures_of(channel.undercoat.recipe)


def look_about(surface: OpenSurface) -> None:
    """See whether what its undercoats were made from is still the same elsewhere."""
    look_around(surface.sessions, surface.ident, surface.shape)
    for measure in _measures_under(surface):
        _look(surface, measure)


def look_at(surface: OpenSurface, lender: UUID) -> bool:
    """The same after a step on another surface; whether that one lends to this at all."""
    lent = [m for m in _measures_under(surface) if m.reads is not None and m.reads.surface == lender]
    for measure in lent:
        _look(surface, measure)
    return bool(lent)


def _look(surface: OpenSurface, measure: MeasureDocument) -> None:
    if measure.reads is None or measure.reads.surface is None:
        return
    try:
        hear_others(surface, [measure])
    except Refusal as refusal:
        problem = str(refusal)

        def gone() -> Lent:
            raise ValueError(problem)

        surface.shape.measures.hear(measure.reads, "gone", gone)
