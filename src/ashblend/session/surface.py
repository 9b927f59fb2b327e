"""One open surface: arrays, documents and history while somebody works on it.

Everything that works on one runs on its own thread, one step after another. Here is what all such work
shares; strokes, channels, documents and history are in modules of their own.
"""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from uuid import UUID

from ashblend.core.arrays import F64, U32
from ashblend.core.channels.channel import Channel
from ashblend.core.channels.delta import Following
from ashblend.core.sets.document import ChannelSetDocument
from ashblend.core.sites.layout import tiles_of
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.at_places import Decoded
from ashblend.core.surface.blend_state import BlendState
from ashblend.core.surface.kinds.registry import SITE_KIND
from ashblend.core.surface.levels import carry_changed, carry_down
from ashblend.core.surface.mean_colour import mean_colour
from ashblend.core.surface.open_set import OpenSet, open_sets
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shape import Shape
from ashblend.core.surface.shapes import shape_of
from ashblend.core.surface.state import SurfaceState
from ashblend.session.around import look_around
from ashblend.session.outcome import (
    AnyChange,
    Change,
    DocumentRevision,
    HeightsMoved,
    HistoryAt,
    Outcome,
    PaintedOver,
)
from ashblend.session.shading import Shading
from ashblend.store.blends import blend_of
from ashblend.store.database import Sessions
from ashblend.store.deltas import SetDelta
from ashblend.store.ledger import Edit, Ledger, Written
from ashblend.store.models import ChannelSet
from ashblend.store.snapshots import create_snapshot
from ashblend.store.states import level_facts, read_levels, read_surface_mesh
from ashblend.store.surfaces import channel_sets_of, get_surface, read_channels

# Fewer steps taken back than these are a slip of the pen, and are not kept when they are painted over.
MANY_UNDONE = 3


class OpenSurface:
    """See the module. painting: what a stroke going on is called, or None."""

    def __init__(self, sessions: Sessions, ident: UUID) -> None:
        self.sessions = sessions
        self.ident = ident
        self.painting: str | None = None
        # The last of the steps that a snapshot was kept of, and what is still to be told of that.
        self._kept_undone = 0
        self._painted_over: PaintedOver | None = None
        with sessions() as session:
            row = get_surface(session, ident)
            self.shape = shape_of(read_surface_mesh(session, row), read_levels(session, ident), row.shape)
        look_around(sessions, ident, self.shape)
        with sessions() as session:
            row = get_surface(session, ident)
            rows = channel_sets_of(session, ident)
            kinds = {r.id: SITE_KIND.validate_python(r.sites) for r in rows}

            def extent_of(channel_set: ChannelSet) -> int:
                return kinds[channel_set.id].sites(self.shape).layout.extent

            channels = read_channels(session, row, extent_of)
            self.sets: dict[UUID, OpenSet] = {
                r.id: OpenSet(
                    r.id,
                    kinds[r.id],
                    ChannelSetDocument.model_validate(r.document),
                    r.revision,
                    channels[r.id],
                    kinds[r.id].sites(self.shape),
                )
                for r in rows
            }
        for found in self.sets.values():
            found.kind.steer(self.shape, found.sites, found.channels)
        self.ledger = Ledger(sessions, ident)
        self._shading = Shading(sessions, ident)
        self._mean_colour: tuple[tuple[int, int], F64] | None = None
        self._carry_all_down()

    # What somebody who comes to it needs

    def documents(self) -> list[DocumentRevision]:
        """The newest of the blend and of every set."""
        with self.sessions() as session:
            row = blend_of(session, self.ident)
            blend = DocumentRevision("blend", row.id, row.revision)
        sets = [DocumentRevision("channel_set", found.id, found.revision) for found in self.sets.values()]
        return [blend, *sets]

    def history(self) -> HistoryAt:
        h = self.ledger.history
        return HistoryAt(
            undo=h.done[-1].label if h.done else None,
            redo=h.undone[-1].label if h.undone else None,
            steps=len(h.done),
            at=h.done[-1].number if h.done else 0,
            on=h.done[-1].address if h.done else None,
        )

    def everything(self) -> list[AnyChange]:
        """Every value there is, as if all had changed."""
        heights = [HeightsMoved(*part) for part in self.shape.painted_heights()]
        return [*(self._whole(found) for found in self.sets.values()), *heights]

    def _whole(self, found: OpenSet) -> Change:
        return Change(self.number_of(found.id), found, range(len(found.channels)))

    # Asking

    def number_of(self, channel_set: UUID) -> int:
        """The set's number among those of the surface."""
        return list(self.sets).index(channel_set)

    def set_of(self, ident: UUID) -> OpenSet:
        """Raises Refusal."""
        found = self.sets.get(ident)
        if found is None:
            raise Refusal("This channel set is not on this surface.", "Load the surface again.")
        return found

    def name_of(self, on: ChannelAddress) -> str:
        """A channel's name for the history; with its set's where there are several to choose from."""
        document = self.set_of(on.channel_set).document
        name = document.channels[on.channel].name
        several = len([s for s in self.sets.values() if s.follows is None]) > 1
        return f"{name} ({document.name})" if several else name

    def require_quiet(self) -> None:
        if self.painting is not None:
            raise Refusal("A stroke is being painted on this surface.", "Finish it first.")

    def writable(self, on: ChannelAddress) -> Channel:
        """A channel that is there and not locked. Raises Refusal."""
        found = self.set_of(on.channel_set)
        if on.channel >= len(found.channels):
            raise Refusal("This set has no such channel.", "Choose another channel.")
        entry = found.document.channels[on.channel]
        if entry.locked:
            raise Refusal(f"{entry.name} is locked.", "Unlock the channel to change it.")
        return found.channels[on.channel]

    def require_level(self, level: int) -> None:
        if level > len(self.shape.levels):
            raise Refusal("There is no such level.", "Load the surface again.")

    # Values

    def changed(self, channel_set: UUID, numbers: Iterable[int], sites: U32) -> list[AnyChange]:
        """Note that sites (ascending) of some channels were written; what is another by that."""
        if not sites.size:
            return []
        found = self.set_of(channel_set)
        tiles = {int(tile) for tile in tiles_of(sites)}
        channels = sorted(numbers)
        for number in channels:
            found.channels[number].dirty |= tiles
            found.tallies[number].forget(tiles)
        changes: list[AnyChange] = [Change(self.number_of(channel_set), found, channels, sites)]
        if found.kind.steer(self.shape, found.sites, found.channels, sites):
            changes += [HeightsMoved(*part) for part in self.shape.moved_heights(found.sites, sites)]
        return changes

    def followed(self, channel_set: UUID, channel: int, sites: U32) -> list[AnyChange]:
        """Carry a change down to the sets that follow; what is another there."""
        changes: list[AnyChange] = []
        if not sites.size:
            return changes
        for follower in [f for f in self.sets.values() if f.follows == channel_set]:
            carry = self.shape.levels[follower.level - 1].carry
            touched = carry_changed(self.set_of(channel_set), follower, carry, channel, sites)
            changes += self.changed(follower.id, [channel], touched)
        return changes

    def apply(self, deltas: Sequence[SetDelta]) -> list[AnyChange]:
        """Write deltas into the arrays; what is another by that."""
        changes: list[AnyChange] = []
        for channel_set, delta in deltas:
            delta.apply(self.set_of(channel_set).channels[delta.channel])
            changes += self.changed(channel_set, [delta.channel], delta.sites)
            changes += self.followed(channel_set, delta.channel, delta.sites)
        return changes

    def apply_all(self, deltas: Iterable[SetDelta]) -> list[AnyChange]:
        """Write very many deltas into the arrays; everything is told as another."""
        following: dict[tuple[UUID, int], Following] = {}
        for channel_set, delta in deltas:
            key = (channel_set, delta.channel)
            if key not in following:
                following[key] = Following(self.set_of(channel_set).channels[delta.channel])
            following[key].add(delta)
        for writing in following.values():
            writing.write()
        for channel_set in {channel_set for channel_set, _ in following}:
            found = self.set_of(channel_set)
            found.kind.steer(self.shape, found.sites, found.channels)
        for ident in {channel_set for channel_set, _ in following}:
            self._carry_all_down(ident)
            for found in self.sets.values():
                if ident in (found.id, found.follows):
                    self._forget_tallies(found)
        return self.everything()

    def keep(self, kind: str, label: str, deltas: Sequence[SetDelta], edits: Sequence[Edit] = ()) -> Outcome:
        """Database first, arrays after: a step that cannot be saved leaves no trace."""
        self.keep_undone()
        written = self.ledger.record(kind, label, deltas, edits)
        return self.told(label, self.apply(deltas), written)

    def told(
        self,
        label: str,
        changes: list[AnyChange],
        written: Sequence[Written] = (),
        stroke: str | None = None,
    ) -> Outcome:
        """The outcome of a step that is kept; documents are taken up here."""
        more, documents = self._take_up(written)
        painted_over, self._painted_over = self._painted_over, None
        return Outcome(
            self.ledger.history.last,
            label,
            self.history(),
            [*changes, *more],
            documents,
            stroke,
            painted_over,
        )

    def keep_up(self) -> None:
        """Write a checkpoint when one is due; behind the answer to a step, which need not wait for it."""
        if self.ledger.due and self.painting is None:
            self.checkpoint()

    def _take_up(self, written: Sequence[Written]) -> tuple[list[AnyChange], list[DocumentRevision]]:
        """Follow documents that were written: values that are others by them, and what was written."""
        changes: list[AnyChange] = []
        documents = []
        for entry in written:
            kind, ident = entry.edit.kind, entry.edit.id
            if kind == "blend":
                self._shading.forget()
            elif ident in self.sets:
                changes += self._take_up_set(self.sets[ident], entry)
            documents.append(
                DocumentRevision("blend" if kind == "blend" else "channel_set", ident, entry.revision)
            )
        return changes, documents

    def _take_up_set(self, found: OpenSet, entry: Written) -> list[Change]:
        document = ChannelSetDocument.model_validate(entry.edit.after)
        before, found.document, found.revision = found.document, document, entry.revision
        moved = [before.bits != document.bits] * len(found.channels)
        for number, (channel, member) in enumerate(zip(found.channels, document.channels, strict=True)):
            # A plane is changed by deltas; one weight for all is told by the document alone.
            if isinstance(channel.undercoat, float) and channel.undercoat != member.constant:
                channel.undercoat = member.constant
                moved[number] = True
        if not any(moved):
            return []
        self._forget_tallies(found)
        self._carry_all_down(found.id)
        followers = [f for f in self.sets.values() if f.follows == found.id]
        for follower in followers:
            self._forget_tallies(follower)
        return [self._whole(f) for f in (found, *followers)]

    def _forget_tallies(self, found: OpenSet) -> None:
        for tally in found.tallies:
            tally.forget(set(range(found.sites.layout.tiles)))

    # Whole states

    def state(self) -> SurfaceState:
        """Everything there is, copied. What is carried down is left out: it is worked out anew."""
        self.require_quiet()
        sets = []
        for found in self.sets.values():
            entry = found.state()
            if found.follows is not None:
                for channel in entry.channels:
                    channel.undercoat = 0.0
            sets.append(entry)
        return SurfaceState(self.shape.mesh, self.shape.levels, tuple(sets))

    def change_state(
        self,
        kind: str,
        label: str,
        change: Callable[[SurfaceState], SurfaceState],
        prepared: Shape | None = None,
    ) -> Outcome:
        """A step that changes the mesh, the levels or the list of sets.

        prepared: a shape of the new mesh with its sites worked out before, beside this thread.
        """
        self.keep_undone()
        before = self.state()
        after = change(before)
        shape = shape_of(after.mesh, after.levels).taking_over(prepared, self.shape)
        kept = self.ledger.record_change(kind, label, before, after, facts_of(shape))
        return self.adopt(kept, label, shape)

    def adopt(self, state: SurfaceState, label: str, shape: Shape | None = None) -> Outcome:
        """Make a state, already kept, the one that windows see."""
        revisions = {found.id: found.revision for found in self.sets.values()}
        self.shape = shape_of(state.mesh, state.levels, self.ledger.shape_number()).taking_over(
            shape, self.shape
        )
        self.sets = open_sets(self.shape, state, revisions)
        with self.sessions() as session:
            for row in channel_sets_of(session, self.ident):
                self.sets[row.id].revision = row.revision
        self._carry_all_down()
        outcome = self.told(label, [])
        outcome.reshaped = self.shape.number
        return outcome

    def _carry_all_down(self, base: UUID | None = None) -> None:
        for follower in self.sets.values():
            followed = self.sets.get(follower.follows) if follower.follows else None
            if followed is not None and base in (None, followed.id):
                for channel in range(len(follower.channels)):
                    carry_down(followed, follower, self.shape.levels[follower.level - 1].carry, channel)

    def keep_undone(self) -> None:
        """What is done now paints over the steps that were taken back: many of them are kept as a snapshot."""
        undone = self.ledger.history.undone
        if len(undone) < MANY_UNDONE or self._kept_undone == undone[0].number:
            return
        state = self.state_after(undone[0].number)
        # Documents are not part of a state.
        if state is None:
            return
        name = f"{len(undone)} steps painted over"
        with self.sessions.begin() as session:
            row = create_snapshot(session, self.ident, name, self.ledger.history.last, state)
        self._kept_undone = undone[0].number
        self._painted_over = PaintedOver(snapshot=row.id, name=name, steps=len(undone))

    def state_after(self, number: int) -> SurfaceState | None:
        """The whole state as it was after a step, in force or taken back; None where values were the same as now."""
        history = self.ledger.history
        undone = [s for s in reversed(history.undone) if s.number <= number]
        done = [s for s in reversed(history.done) if s.number > number]
        kind, way = ("redo", undone) if undone else ("undo", done)
        if not any(step.states is not None or step.valued for step in way):
            return None
        state = self.state()
        for step in way:
            if step.states is not None:
                state = self.ledger.state_of(step, kind)
                continue
            sets = {entry.id: entry for entry in state.sets}
            for channel_set, delta in self.ledger.deltas_of(step, kind):
                delta.apply(sets[channel_set].channels[delta.channel])
        return state

    def checkpoint(self) -> None:
        """Keep the tiles that were written since the last one."""
        kept = {}
        for ident, found in self.sets.items():
            channels = found.channels
            if found.follows is not None:
                # What is carried down is not kept; the marks are the channel's own.
                channels = [replace(c, undercoat=0.0) for c in channels]
            kept[ident] = channels
        self.ledger.checkpoint(kept)

    # The blend

    def blend_changed(self) -> None:
        """Forget the compiled blend; the next question loads the newest."""
        self._shading.forget()

    def textures(self, materials: list[UUID], pictures: list[UUID]) -> Decoded:
        """Decoded textures of materials and of pictures, for recipes that read them. Raises Refusal."""
        return self._shading.textures(materials, pictures)

    def blend(self) -> BlendState:
        """The newest blend, compiled, with what the picture shows of its materials."""
        return self._shading.blend()

    def mean_colour(self) -> F64:
        """(3,) what the surface throws back of light, on the whole; of the blend and the mesh as they were asked for first."""
        if self._mean_colour is None or self._mean_colour[0] != (self.shape.number, self.blend().revision):
            found = mean_colour(self.blend(), self.shape, self.sets)
            self._mean_colour = ((self.shape.number, self.blend().revision), found)
        return self._mean_colour[1]


def facts_of(shape: Shape) -> dict[str, object]:
    """What is told of a mesh and its levels."""
    facts = shape.facts()
    facts["levels"] = level_facts(shape.levels)
    return facts
