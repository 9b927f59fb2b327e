"""One open surface. Everything here runs on that surface's own thread, one act after another."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from uuid import UUID

import numpy as np
from sqlalchemy.orm import Session

from ashblend.core.arrays import U32, Mask
from ashblend.core.brush import Brush, PointerSample, Stroke
from ashblend.core.brush.acts import act_of
from ashblend.core.brush.fills import LiftFill, MixFill
from ashblend.core.channels import Channel, ChannelSetDocument, changed_between, channel_of_values
from ashblend.core.prepare.facts import mesh_facts
from ashblend.core.prepare.sides import hard_border
from ashblend.core.sites import Sites, UVTexels
from ashblend.server.live.answers import core_sample, surface_statistics
from ashblend.server.live.blend_state import BlendState, DecodedMaterials, load_blend
from ashblend.server.live.fills import Fills, shared_sum
from ashblend.server.live.frames import full_frame, sparse_frame
from ashblend.server.live.messages import (
    ChannelAddress,
    CoreSample,
    FillOn,
    Hello,
    HistoryState,
    Probe,
    Protection,
    Reshaped,
    Saved,
    Statistics,
)
from ashblend.server.live.open_set import OpenSet, carry_down, open_sets
from ashblend.server.live.open_shape import OpenShape
from ashblend.server.live.refusal import Refusal
from ashblend.server.live.reshape import on_changed_mesh
from ashblend.store.database import Sessions
from ashblend.store.documents import write_document
from ashblend.store.journal import (
    Step,
    append_act,
    append_reference,
    append_state_act,
    read_deltas,
    read_history,
)
from ashblend.store.models import ChannelSet, Snapshot
from ashblend.store.planes import SetDelta
from ashblend.store.snapshots import create_snapshot, get_snapshot
from ashblend.store.states import (
    SurfaceState,
    get_state,
    level_facts,
    put_state,
    read_levels,
    read_surface_mesh,
    site_kind,
    write_state,
)
from ashblend.store.stencils import read_stencil
from ashblend.store.surfaces import (
    blend_document,
    channel_sets_of,
    get_surface,
    read_channels,
    write_checkpoint,
)


@dataclass
class _OpenStroke:
    ident: str
    owner: object
    on: ChannelAddress
    label: str
    stroke: Stroke
    shared: list[int]


@dataclass
class Outcome:
    """What an act did: frames and news for every window."""

    saved: Saved
    frames: list[bytes] = field(default_factory=list)
    reshaped: Reshaped | None = None


class LiveSurface:
    """Arrays, documents and history of a surface while windows look at it."""

    def __init__(self, sessions: Sessions, ident: UUID) -> None:
        self._sessions = sessions
        self.ident = ident
        with sessions() as session:
            row = get_surface(session, ident)
            self.shape = OpenShape(read_surface_mesh(session, row), read_levels(session, ident))

            def sites_of(channel_set: ChannelSet) -> int:
                return self.shape.sites(site_kind(channel_set.sites)).count

            channels = read_channels(session, row, sites_of)
            self._sets: dict[UUID, OpenSet] = {}
            for s in channel_sets_of(session, ident):
                kind = site_kind(s.sites)
                document = ChannelSetDocument.model_validate(s.document)
                self._sets[s.id] = OpenSet(
                    s.id, kind, document, s.revision, channels[s.id], self.shape.sites(kind)
                )
            self._history = read_history(session, ident)
        self._blend: BlendState | None = None
        self._decoded: DecodedMaterials = {}
        self._stroke: _OpenStroke | None = None
        self._carry_all_down()

    # What a window that joins is told

    def hello(self) -> Hello:
        return Hello(shape=self.shape.number, channel_sets=list(self._sets), history=self.history())

    def history(self) -> HistoryState:
        h = self._history
        return HistoryState(
            undo=h.done[-1].label if h.done else None,
            redo=h.undone[-1].label if h.undone else None,
            steps=len(h.done),
            at=h.done[-1].number if h.done else 0,
        )

    def steps(self) -> tuple[list[Step], list[Step]]:
        """Acts in force, oldest first, and acts taken back, the next to redo first."""
        return list(self._history.done), list(reversed(self._history.undone))

    def full_frames(self) -> list[bytes]:
        return [self._full(found) for found in self._sets.values()]

    def _full(self, found: OpenSet) -> bytes:
        return full_frame(self._number(found.id), {c: found.shown(c) for c in range(len(found.channels))})

    def set_of(self, channel_set: UUID) -> OpenSet:
        """A set with its values, for export. Raises Refusal."""
        return self._set(channel_set)

    def sets(self) -> list[OpenSet]:
        return list(self._sets.values())

    # Strokes

    def begin(self, owner: object, ident: str, on: ChannelAddress, brush: Brush, protect: Protection) -> None:
        if self._stroke is not None:
            raise Refusal("Another window is painting on this surface.", "Wait until its stroke is done.")
        channel = self._writable(on)
        found = self._set(on.channel_set)
        shared, others = shared_sum(found, on.channel)
        image = None
        if brush.stencil is not None:
            with self._sessions() as session:
                image = read_stencil(session, brush.stencil.image)
        stroke = Stroke(
            found.room,
            found.reach(brush.reach),
            channel,
            on.channel,
            brush,
            allow=self._fills().allow(found, protect, None),
            shared=shared,
            image=image,
        )
        label = f"{act_of(brush)[0].verb} {found.document.channels[on.channel].name}"
        self._stroke = _OpenStroke(ident, owner, on, label, stroke, others)

    def extend(self, owner: object, ident: str, samples: Sequence[PointerSample]) -> list[bytes]:
        open_stroke = self._current(owner, ident)
        sites = open_stroke.stroke.extend(samples)
        on = open_stroke.on
        return self._changed(on.channel_set, [on.channel, *open_stroke.shared], sites)

    def end(self, owner: object, ident: str) -> Outcome:
        open_stroke = self._current(owner, ident)
        self._stroke = None
        on = open_stroke.on
        late = self._changed(on.channel_set, [on.channel, *open_stroke.shared], open_stroke.stroke.complete())
        deltas = [(on.channel_set, d) for d in open_stroke.stroke.finish()]
        try:
            saved = self._record("stroke", open_stroke.label, deltas, stroke=ident)
        except Exception:
            for channel_set, delta in deltas:
                delta.reversed().apply(self._set(channel_set).channels[delta.channel])
            raise
        followed = [f for s, d in deltas for f in self._followed(s, d.channel, d.sites)]
        return Outcome(saved, [*late, *followed])

    def abandon(self, owner: object) -> list[bytes]:
        """Put back what an unfinished stroke of this owner has done."""
        open_stroke = self._stroke
        if open_stroke is None or open_stroke.owner is not owner:
            return []
        self._stroke = None
        sites = open_stroke.stroke.abandon()
        on = open_stroke.on
        return self._changed(on.channel_set, [on.channel, *open_stroke.shared], sites)

    def stroke_of(self, owner: object) -> str | None:
        """The unfinished stroke of an owner."""
        return self._stroke.ident if self._stroke is not None and self._stroke.owner is owner else None

    def _current(self, owner: object, ident: str) -> _OpenStroke:
        if self._stroke is None or self._stroke.owner is not owner or self._stroke.ident != ident:
            raise Refusal("This stroke is not open.", "Lift the pen and begin again.")
        return self._stroke

    # Acts on whole channels

    def _fills(self) -> Fills:
        return Fills(self.shape, self._sets)

    def fill(self, message: FillOn) -> Outcome:
        self._require_quiet()
        self._writable(message.on)
        fills = self._fills()
        label = message.fill.label(self._name(message.on))
        faces = fills.chosen(message)
        if faces is None:
            return self._act(message.fill.act, label, fills.deltas(message, None))
        label = f"{label} on faces"
        found = self._set(message.on.channel_set)
        if message.faces is not None and message.faces.hard and not isinstance(found.sites, UVTexels):
            return self._fill_hard(message, faces, label)
        return self._act(message.fill.act, label, fills.deltas(message, faces))

    def _fill_hard(self, message: FillOn, faces: Mask, label: str) -> Outcome:
        """Split the faces' border first; one act, one undo."""
        if self._set(message.on.channel_set).level:
            raise Refusal("Hard borders are made on level 0.", "Show level 0 first.")
        parted = hard_border(self.shape.mesh, faces)

        def change(before: SurfaceState) -> SurfaceState:
            after = on_changed_mesh(before, parted.mesh, parted.lineage, None)
            shape = OpenShape(after.mesh, after.levels)
            sets = open_sets(shape, after, {entry.id: 0 for entry in after.sets})
            for channel_set, delta in Fills(shape, sets).deltas(message, faces):
                delta.apply(sets[channel_set].channels[delta.channel])
            return replace(after, sets=tuple(found.state() for found in sets.values()))

        return self.change_state("faces", f"{label} (+{parted.added} vertices)", change)

    def preview(self, message: FillOn) -> list[bytes]:
        """Frames of what a fill would make, for one window; nothing is changed."""
        self._require_quiet()
        self._writable(message.on)
        fills = self._fills()
        out = []
        for channel_set, delta in fills.deltas(message, fills.chosen(message)):
            found = self._set(channel_set)
            held = found.channels[delta.channel]
            trial = Channel(held.cover.copy(), held.paint.copy(), held.undercoat)
            delta.apply(trial)
            out.append(full_frame(self._number(channel_set), {delta.channel: trial.values()}))
        return out

    def swap(self, on: ChannelAddress, other: ChannelAddress) -> Outcome:
        """Exchange two channels. On the same sites exactly, paint and all; else by value."""
        self._require_quiet()
        a, b = self._writable(on), self._writable(other)
        first, second = self._set(on.channel_set), self._set(other.channel_set)
        if first.sites is second.sites:
            deltas = [
                (on.channel_set, changed_between(on.channel, a, Channel(b.cover, b.paint, a.undercoat))),
                (
                    other.channel_set,
                    changed_between(other.channel, b, Channel(a.cover, a.paint, b.undercoat)),
                ),
            ]
        else:
            fills = self._fills()
            deltas = [
                (on.channel_set, fills.delta(first, on.channel, MixFill(), None, other)),
                (other.channel_set, fills.delta(second, other.channel, MixFill(), None, on)),
            ]
        return self._act("swap", f"Swap {self._name(on)} and {self._name(other)}", deltas)

    def start_empty(self, channel_set: UUID) -> Outcome:
        self._require_quiet()
        found = self._set(channel_set)
        for number in range(len(found.channels)):
            self._writable(ChannelAddress(channel_set=channel_set, channel=number))
        deltas = [
            (channel_set, self._fills().delta(found, n, LiftFill(), None, None))
            for n in range(len(found.channels))
        ]
        return self._act("start_empty", f"Start {found.document.name} empty", deltas)

    # History

    def undo(self) -> Outcome:
        self._require_quiet()
        return self._step("undo")

    def redo(self) -> Outcome:
        self._require_quiet()
        return self._step("redo")

    def jump(self, number: int) -> Outcome:
        """Undo or redo until the act of this number is the last in force; 0: before the first."""
        self._require_quiet()
        done = [step.number for step in self._history.done]
        undone = [step.number for step in self._history.undone]
        if number and number not in done and number not in undone:
            raise Refusal("This step is no longer in the history.", "Look at the list again.")
        kind = "redo" if number in undone else "undo"
        outcome: Outcome | None = None
        while (self._history.done[-1].number if self._history.done else 0) != number:
            following = self._step(kind)
            following.reshaped = following.reshaped or (outcome.reshaped if outcome else None)
            following.frames = [*(outcome.frames if outcome else []), *following.frames]
            outcome = following
        if outcome is None:
            return Outcome(self._saved(None, "Already there"))
        if len(outcome.frames) > len(self._sets):
            outcome.frames = self.full_frames()
        return outcome

    def _step(self, kind: str) -> Outcome:
        step = self._history.to_undo() if kind == "undo" else self._history.to_redo()
        verb = "Undid" if kind == "undo" else "Redid"
        label = f"{verb}: {step.label}"
        number = self._history.last + 1
        if step.states is not None:
            return self._step_states(kind, step, number, label)
        with self._sessions.begin() as session:
            deltas = read_deltas(session, self.ident, step.number)
            append_reference(session, self.ident, number, kind, step)
        if kind == "undo":
            deltas = [(s, d.reversed()) for s, d in reversed(deltas)]
        self._history.record(number, kind)
        frames = self._apply(deltas)
        return Outcome(self._saved(None, label), frames)

    def _step_states(self, kind: str, step: Step, number: int, label: str) -> Outcome:
        assert step.states is not None
        with self._sessions.begin() as session:
            state = get_state(session, step.states[0 if kind == "undo" else 1])
            append_reference(session, self.ident, number, kind, step)
            revisions = self._write(session, number, state)
        self._history.record(number, kind)
        return self._adopt(state, revisions, label)

    def _act(self, kind: str, label: str, deltas: list[SetDelta]) -> Outcome:
        """Database first, arrays after: an act that cannot be saved leaves no trace."""
        saved = self._record(kind, label, deltas)
        return Outcome(saved, self._apply(deltas))

    def _record(self, kind: str, label: str, deltas: list[SetDelta], stroke: str | None = None) -> Saved:
        deltas = [(s, d) for s, d in deltas if d.sites.size]
        if deltas:
            number = self._history.last + 1
            with self._sessions.begin() as session:
                step = append_act(session, self.ident, number, kind, label[:120], deltas)
            self._history.record(number, kind, step)
        return self._saved(stroke, label)

    def _saved(self, stroke: str | None, label: str) -> Saved:
        return Saved(number=self._history.last, stroke=stroke, label=label, history=self.history())

    def _apply(self, deltas: list[SetDelta]) -> list[bytes]:
        frames = []
        for channel_set, delta in deltas:
            delta.apply(self._set(channel_set).channels[delta.channel])
            frames += self._changed(channel_set, [delta.channel], delta.sites)
            frames += self._followed(channel_set, delta.channel, delta.sites)
        return frames

    # Whole states

    def state(self) -> SurfaceState:
        """Everything there is, copied."""
        self._require_quiet()
        return self._state()

    def _state(self) -> SurfaceState:
        return SurfaceState(
            self.shape.mesh, self.shape.levels, tuple(found.state() for found in self._sets.values())
        )

    def change_state(self, kind: str, label: str, change: Callable[[SurfaceState], SurfaceState]) -> Outcome:
        """An act that changes the mesh, the levels or the list of sets."""
        self._require_quiet()
        before = self._state()
        after = change(before)
        number = self._history.last + 1
        with self._sessions.begin() as session:
            shas = put_state(session, before), put_state(session, after)
            step = append_state_act(session, self.ident, number, kind, label[:120], *shas)
            revisions = self._write(session, number, after)
        self._history.record(number, kind, step)
        return self._adopt(after, revisions, label)

    def _write(self, session: Session, number: int, state: SurfaceState) -> dict[UUID, int]:
        facts = mesh_facts(state.mesh, OpenShape(state.mesh, ()).vertices())
        facts["levels"] = level_facts(state.levels)
        return write_state(session, get_surface(session, self.ident), number, state, facts)

    def _adopt(self, state: SurfaceState, revisions: dict[UUID, int], label: str) -> Outcome:
        """Make a state, already kept, the one that windows see."""
        self.shape = OpenShape(state.mesh, state.levels)
        self._sets = open_sets(self.shape, state, revisions)
        self._carry_all_down()
        reshaped = Reshaped(shape=self.shape.number, label=label)
        return Outcome(self._saved(None, label), [], reshaped)

    def take_snapshot(self, name: str) -> Snapshot:
        state = self.state()
        with self._sessions.begin() as session:
            return create_snapshot(session, self.ident, name, self._history.last, state)

    def restore(self, snapshot: UUID) -> tuple[Outcome, Snapshot]:
        """Bring a snapshot back, as an act that can be undone."""
        with self._sessions() as session:
            row = get_snapshot(session, snapshot)
            state = get_state(session, row.state)
            kept = {entry.id for entry in state.sets}
            readers = {layer.mask.channel_set for layer in blend_document(session, self.ident).layers}
        if not readers <= kept:
            raise Refusal(
                "A layer reads a channel set that this snapshot did not have.",
                "Let the layer read another channel first.",
            )
        return self.change_state("restore", f"Back to {row.name}", lambda _: state), row

    def converted(self, source: OpenSet, sites: Sites) -> tuple[Channel, ...]:
        """The channels of a set as they would lie on other sites of the same mesh."""
        if source.sites is sites:
            return source.state().channels
        target = OpenSet(source.id, source.kind, source.document, 0, source.channels, sites)
        fills = self._fills()
        return tuple(
            channel_of_values(
                fills.values_on(target, ChannelAddress(channel_set=source.id, channel=n)).astype(np.float32)
            )
            for n in range(len(source.channels))
        )

    # Levels

    def _carry_all_down(self) -> None:
        for follower in self._sets.values():
            base = self._sets.get(follower.follows) if follower.follows else None
            if base is not None:
                for channel in range(len(follower.channels)):
                    carry_down(base, follower, self.shape.levels[follower.level - 1].carry, channel)

    def _followed(self, channel_set: UUID, channel: int, sites: U32) -> list[bytes]:
        """Carry a change down to the sets that follow; their frames."""
        frames: list[bytes] = []
        followers = [f for f in self._sets.values() if f.follows == channel_set]
        if not followers or not sites.size:
            return frames
        changed = np.zeros(self._set(channel_set).sites.count, bool)
        changed[sites] = True
        for follower in followers:
            carry = self.shape.levels[follower.level - 1].carry
            carry_down(self._set(channel_set), follower, carry, channel)
            touched = np.flatnonzero(changed[carry.sources].any(axis=1)).astype(np.uint32)
            frames += self._changed(follower.id, [channel], touched)
        return frames

    # Documents

    def write_channel_set(
        self, channel_set: UUID, revision: int, document: ChannelSetDocument
    ) -> tuple[int, list[bytes]]:
        """Keep a new document of a set; its new revision and the values that changed by it.

        Raises StaleRevision.
        """
        self._require_quiet()
        found = self._set(channel_set)
        if len(document.channels) != len(found.channels):
            raise Refusal("A channel set keeps its number of channels.", "Rename channels instead.")
        with self._sessions.begin() as session:
            new = write_document(session, ChannelSet, channel_set, revision, document.model_dump(mode="json"))
        found.document, found.revision = document, new
        if found.follows is None:
            for channel, entry in zip(found.channels, document.channels, strict=True):
                channel.undercoat = entry.undercoat.value
        self._carry_all_down()
        followers = [f for f in self._sets.values() if f.follows == channel_set]
        return new, [self._full(f) for f in (found, *followers)]

    def blend_changed(self) -> None:
        """Forget the compiled blend; the next question loads the newest."""
        self._blend = None

    def checkpoint(self) -> None:
        with self._sessions.begin() as session:
            write_checkpoint(session, self.ident, self._history.last, self._channels())

    # Answers

    def statistics(self, blend: BlendState) -> Statistics:
        """Coverage and histograms of all channels, and each layer's share of the surface.

        The one thing here that may run on another thread: it only reads, and a stroke going on
        meanwhile is answered by the statistics after it.
        """
        return surface_statistics(self.shape, dict(self._sets), blend)

    def probe(self, message: Probe) -> CoreSample:
        """What is at a place, and how many sites the brush would reach there."""
        if message.level > len(self.shape.levels):
            raise Refusal("There is no such level.", "Load the surface again.")
        if message.triangle >= self.shape.mesh_of(message.level).triangles.shape[0]:
            raise Refusal("There is no such triangle.", "Load the surface again.")
        return core_sample(message, self.shape, self._sets, self.compiled(), self._set(message.channel_set))

    def _channels(self) -> dict[UUID, list[Channel]]:
        return {ident: found.channels for ident, found in self._sets.items()}

    def compiled(self) -> BlendState:
        """The newest blend, compiled."""
        if self._blend is None:
            with self._sessions() as session:
                self._blend, self._decoded = load_blend(session, self.ident, self._decoded)
        return self._blend

    # Small things

    def _number(self, channel_set: UUID) -> int:
        """The set's number in frames."""
        return list(self._sets).index(channel_set)

    def _require_quiet(self) -> None:
        if self._stroke is not None:
            raise Refusal("A stroke is being painted on this surface.", "Finish it first.")

    def _set(self, ident: UUID) -> OpenSet:
        found = self._sets.get(ident)
        if found is None:
            raise Refusal("This channel set is not on this surface.", "Load the surface again.")
        return found

    def _name(self, on: ChannelAddress) -> str:
        return self._set(on.channel_set).document.channels[on.channel].name

    def _channel(self, on: ChannelAddress) -> Channel:
        found = self._set(on.channel_set)
        if on.channel >= len(found.channels):
            raise Refusal("This set has no such channel.", "Choose another channel.")
        return found.channels[on.channel]

    def _writable(self, on: ChannelAddress) -> Channel:
        channel = self._channel(on)
        entry = self._set(on.channel_set).document.channels[on.channel]
        if entry.locked:
            raise Refusal(f"{entry.name} is locked.", "Unlock the channel to change it.")
        return channel

    def _changed(self, channel_set: UUID, numbers: Iterable[int], sites: U32) -> list[bytes]:
        if not sites.size:
            return []
        found = self._set(channel_set)
        index = self._number(channel_set)
        # A sparse frame spends six bytes on a site, a full one two.
        if 3 * sites.size > found.sites.count:
            return [full_frame(index, {n: found.shown(n) for n in numbers})]
        return [sparse_frame(index, sites, {n: found.shown(n, sites) for n in numbers})]
