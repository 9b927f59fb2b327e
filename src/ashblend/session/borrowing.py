"""What other surfaces lend to the measures of an open one."""

import hashlib
from collections.abc import Iterable
from functools import partial
from uuid import UUID

from sqlalchemy.orm import Session

from ashblend.core.sets.document import ChannelSetDocument, MeasuredUndercoat
from ashblend.core.surface.lending import lent_by
from ashblend.core.surface.neighbours import Neighbour
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shape import Shape
from ashblend.core.surface.undercoat import measures_of
from ashblend.core.survey.lent import ChannelOf, Lent
from ashblend.core.survey.protocol import MeasureDocument
from ashblend.session.surface import OpenSurface
from ashblend.store.database import Sessions
from ashblend.store.journal import read_history
from ashblend.store.models import ChannelSet, Surface
from ashblend.store.surroundings import surroundings_of

GONE = "The surface it borrows from is not in this project any more."


def _lender(session: Session, own: UUID, channel: ChannelOf) -> ChannelSet | None:
    """The set that lends, where it is there to lend."""
    row = session.get(ChannelSet, channel.channel_set)
    lender = session.get(Surface, channel.surface)
    if row is None or lender is None or row.surface_id != lender.id or lender.removed_at is not None:
        return None
    return row if lender.project_id == session.get_one(Surface, own).project_id else None


def _lends_to(session: Session, own: UUID, channel: ChannelOf) -> bool:
    """Whether what a channel holds comes, by however many borrowings, from this surface."""
    ways, seen = [channel], set()
    while ways:
        at = ways.pop()
        row = session.get(ChannelSet, at.channel_set)
        if row is None or at in seen or at.surface is None:
            continue
        seen.add(at)
        members = ChannelSetDocument.model_validate(row.document).channels
        undercoat = members[at.channel].undercoat if at.channel < len(members) else None
        if not isinstance(undercoat, MeasuredUndercoat):
            continue
        for read in (measure.reads for measure in measures_of(undercoat.recipe)):
            if read is not None and read.surface == own:
                return True
            if read is not None:
                ways.append(read.model_copy(update={"surface": read.surface or at.surface}))
    return False


def hear_others(surface: OpenSurface, measures: Iterable[MeasureDocument]) -> None:
    """Have an open surface's shape know what other surfaces lend to measures. They are read when a measure asks.

    Raises Refusal where one is gone, or would borrow from what borrows from this one.
    """
    for channel in {m.reads for m in measures if m.reads is not None}:
        if channel.surface is None:
            continue
        if channel.surface == surface.ident:
            raise Refusal("A channel of this surface is read, not borrowed.", "Add the source Channel.")
        with surface.sessions() as session:
            row = _lender(session, surface.ident, channel)
            if row is None:
                raise Refusal(GONE, "Pick another channel, or take the term out.")
            if _lends_to(session, surface.ident, channel):
                raise Refusal(
                    "This goes round in a circle: the other surface borrows from this one.",
                    "Pick another channel.",
                )
            told = _state_of(session, surface.ident, channel, row)
        surface.shape.measures.hear(
            channel, told, partial(_read, surface.sessions, surface.ident, surface.shape, channel)
        )


def _state_of(session: Session, own: UUID, channel: ChannelOf, row: ChannelSet) -> str:
    """Short name of what a channel of another surface holds, and where."""
    assert channel.surface is not None
    history = read_history(session, channel.surface)
    at = history.done[-1].number if history.done else 0
    # Whose it is the recipe says; in a copied project it is another one that holds the same.
    told = f"{session.get_one(Surface, channel.surface).shape} {at} {row.revision}"
    if channel.stands:
        told += "".join(n.model_dump_json(exclude={"surface"}) for n in _standing(session, own, channel))
    return hashlib.blake2b(told.encode(), digest_size=8).hexdigest()


def _standing(session: Session, own: UUID, channel: ChannelOf) -> list[Neighbour]:
    return [n for n in surroundings_of(session, own)[1].neighbours if n.surface == channel.surface]


def _read(sessions: Sessions, own: UUID, shape: Shape, channel: ChannelOf) -> Lent:
    with sessions() as session:
        if _lender(session, own, channel) is None:
            raise ValueError(GONE)
        stands = [(shape, n) for n in _standing(session, own, channel)] if channel.stands else []
    if channel.stands and not stands:
        raise ValueError("The surface it borrows from does not stand around this one: add it in Prepare.")
    assert channel.surface is not None
    lender = OpenSurface(sessions, channel.surface)
    return lent_by(lender.shape, lender.set_of(channel.channel_set), channel.channel, stands)
