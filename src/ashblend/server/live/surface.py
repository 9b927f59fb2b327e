"""One open surface. Everything here runs on that surface's own thread, one act after another."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from uuid import UUID

from ashblend.core.arrays import U32
from ashblend.core.blend import SurfaceInputs, surface_inputs
from ashblend.core.brush import (
    Brush,
    PointerSample,
    Reach,
    Skin,
    Stroke,
    StrokeRoom,
    fill_delta,
    invert_delta,
    lift_all_delta,
)
from ashblend.core.channels import (
    Channel,
    ChannelDelta,
    ChannelSetDocument,
)
from ashblend.core.formats import read_mesh
from ashblend.core.sites import Mesh, MeshVertices, mesh_vertices
from ashblend.server.live.answers import core_sample, surface_statistics
from ashblend.server.live.blend_state import BlendState, DecodedMaterials, load_blend
from ashblend.server.live.frames import full_frame, sparse_frame
from ashblend.server.live.messages import (
    ChannelAddress,
    CoreSample,
    Fill,
    Hello,
    HistoryState,
    Probe,
    Saved,
    Statistics,
)
from ashblend.store.blobs import get_blob
from ashblend.store.database import Sessions
from ashblend.store.documents import write_document
from ashblend.store.journal import append_act, append_reference, read_deltas, read_history
from ashblend.store.models import ChannelSet
from ashblend.store.planes import SetDelta
from ashblend.store.surfaces import channel_sets_of, get_surface, read_channels, write_checkpoint


class Refusal(ValueError):
    """An act that is not done: problem and remedy for the artist."""

    def __init__(self, problem: str, remedy: str) -> None:
        super().__init__(problem)
        self.problem = problem
        self.remedy = remedy


@dataclass
class _OpenSet:
    document: ChannelSetDocument
    revision: int
    channels: list[Channel]


@dataclass
class _OpenStroke:
    ident: str
    owner: object
    on: ChannelAddress
    label: str
    stroke: Stroke


class LiveSurface:
    """Arrays, documents and history of a surface while windows look at it."""

    def __init__(self, sessions: Sessions, ident: UUID) -> None:
        self._sessions = sessions
        self.ident = ident
        with sessions() as session:
            row = get_surface(session, ident)
            self.mesh: Mesh = read_mesh(row.file_name, get_blob(session, row.source))
            channels = read_channels(session, row)
            self._sets: dict[UUID, _OpenSet] = {
                s.id: _OpenSet(ChannelSetDocument.model_validate(s.document), s.revision, channels[s.id])
                for s in channel_sets_of(session, ident)
            }
            self._history = read_history(session, ident)
            self._blend: BlendState | None = None
            self._decoded: DecodedMaterials = {}
        self.sites: MeshVertices = mesh_vertices(self.mesh)
        self.inputs: SurfaceInputs = surface_inputs(self.mesh, self.sites)
        self._room = StrokeRoom(self.sites)
        self._reaches: dict[str, Reach] = {"ball": Reach(self.sites), "skin": Skin(self.sites)}
        self._stroke: _OpenStroke | None = None

    # What a window that joins is told

    def hello(self) -> Hello:
        return Hello(sites=self.sites.count, channel_sets=list(self._sets), history=self.history())

    def history(self) -> HistoryState:
        h = self._history
        return HistoryState(
            undo=h.done[-1].label if h.done else None,
            redo=h.undone[-1].label if h.undone else None,
            steps=len(h.done),
        )

    def full_frames(self) -> list[bytes]:
        return [self._full(number, s.channels) for number, s in enumerate(self._sets.values())]

    @staticmethod
    def _full(number: int, channels: Sequence[Channel]) -> bytes:
        return full_frame(number, {c: channel.values() for c, channel in enumerate(channels)})

    def set_values(self, channel_set: UUID) -> tuple[ChannelSetDocument, list[Channel]]:
        """Document and channels of a set, for export. Raises Refusal."""
        found = self._set(channel_set)
        return found.document, found.channels

    # Strokes

    def begin(self, owner: object, ident: str, on: ChannelAddress, brush: Brush) -> None:
        if self._stroke is not None:
            raise Refusal("Another window is painting on this surface.", "Wait until its stroke is done.")
        channel = self._writable(on)
        verb = "Paint" if brush.act == "paint" else "Erase"
        stroke = Stroke(self.sites, self._room, self._reaches[brush.reach], channel, on.channel, brush)
        name = self._set(on.channel_set).document.channels[on.channel].name
        self._stroke = _OpenStroke(ident, owner, on, f"{verb} {name}", stroke)

    def extend(self, owner: object, ident: str, samples: Sequence[PointerSample]) -> bytes | None:
        open_stroke = self._current(owner, ident)
        sites = open_stroke.stroke.extend(samples)
        return self._changed(open_stroke.on.channel_set, open_stroke.on.channel, sites)

    def end(self, owner: object, ident: str) -> Saved:
        open_stroke = self._current(owner, ident)
        self._stroke = None
        delta = open_stroke.stroke.finish()
        try:
            return self._record(
                "stroke", open_stroke.label, [(open_stroke.on.channel_set, delta)], stroke=ident
            )
        except Exception:
            delta.reversed().apply(self._channel(open_stroke.on))
            raise

    def abandon(self, owner: object) -> bytes | None:
        """Put back what an unfinished stroke of this owner has done; None when there is none."""
        open_stroke = self._stroke
        if open_stroke is None or open_stroke.owner is not owner:
            return None
        self._stroke = None
        sites = open_stroke.stroke.abandon()
        return self._changed(open_stroke.on.channel_set, open_stroke.on.channel, sites)

    def stroke_of(self, owner: object) -> str | None:
        """The unfinished stroke of an owner."""
        return self._stroke.ident if self._stroke is not None and self._stroke.owner is owner else None

    def _current(self, owner: object, ident: str) -> _OpenStroke:
        if self._stroke is None or self._stroke.owner is not owner or self._stroke.ident != ident:
            raise Refusal("This stroke is not open.", "Lift the pen and begin again.")
        return self._stroke

    # Acts on whole channels

    def fill(self, message: Fill) -> tuple[list[bytes], Saved]:
        self._require_quiet()
        channel = self._writable(message.on)
        name = self._set(message.on.channel_set).document.channels[message.on.channel].name
        makers: dict[str, tuple[str, Callable[[], ChannelDelta]]] = {
            "fill": (
                f"Fill {name} with {message.weight:.2f}",
                lambda: fill_delta(message.on.channel, channel, message.weight),
            ),
            "invert": (f"Invert {name}", lambda: invert_delta(message.on.channel, channel)),
            "lift": (f"Lift all paint off {name}", lambda: lift_all_delta(message.on.channel, channel)),
        }
        label, make = makers[message.act]
        return self._act(message.act, label, [(message.on.channel_set, make())])

    def start_empty(self, channel_set: UUID) -> tuple[list[bytes], Saved]:
        self._require_quiet()
        found = self._set(channel_set)
        for number in range(len(found.channels)):
            self._writable(ChannelAddress(channel_set=channel_set, channel=number))
        deltas = [(channel_set, lift_all_delta(n, channel)) for n, channel in enumerate(found.channels)]
        return self._act("start_empty", f"Start {found.document.name} empty", deltas)

    def undo(self) -> tuple[list[bytes], Saved]:
        self._require_quiet()
        return self._step_back("undo")

    def redo(self) -> tuple[list[bytes], Saved]:
        self._require_quiet()
        return self._step_back("redo")

    def _step_back(self, kind: str) -> tuple[list[bytes], Saved]:
        step = self._history.to_undo() if kind == "undo" else self._history.to_redo()
        number = self._history.last + 1
        with self._sessions.begin() as session:
            deltas = read_deltas(session, self.ident, step.number)
            append_reference(session, self.ident, number, kind, step)
        if kind == "undo":
            deltas = [(s, d.reversed()) for s, d in reversed(deltas)]
        self._history.record(number, kind, step.label)
        verb = "Undid" if kind == "undo" else "Redid"
        saved = Saved(number=number, stroke=None, label=f"{verb}: {step.label}", history=self.history())
        return self._apply(deltas), saved

    def _act(self, kind: str, label: str, deltas: list[SetDelta]) -> tuple[list[bytes], Saved]:
        """Database first, arrays after: an act that cannot be saved leaves no trace."""
        saved = self._record(kind, label, deltas)
        return self._apply(deltas), saved

    def _record(self, kind: str, label: str, deltas: list[SetDelta], stroke: str | None = None) -> Saved:
        deltas = [(s, d) for s, d in deltas if d.sites.size]
        if deltas:
            number = self._history.last + 1
            with self._sessions.begin() as session:
                append_act(session, self.ident, number, kind, label, deltas)
            self._history.record(number, kind, label)
        return Saved(number=self._history.last, stroke=stroke, label=label, history=self.history())

    def _apply(self, deltas: list[SetDelta]) -> list[bytes]:
        frames = []
        for channel_set, delta in deltas:
            delta.apply(self._set(channel_set).channels[delta.channel])
            frame = self._changed(channel_set, delta.channel, delta.sites)
            if frame is not None:
                frames.append(frame)
        return frames

    # Documents

    def write_channel_set(
        self, channel_set: UUID, revision: int, document: ChannelSetDocument
    ) -> tuple[int, bytes]:
        """Keep a new document of a set; its new revision and the set's values. Raises StaleRevision."""
        self._require_quiet()
        found = self._set(channel_set)
        if len(document.channels) != len(found.channels):
            raise Refusal("A channel set keeps its number of channels.", "Rename channels instead.")
        with self._sessions.begin() as session:
            new = write_document(session, ChannelSet, channel_set, revision, document.model_dump(mode="json"))
        found.document, found.revision = document, new
        for channel, entry in zip(found.channels, document.channels, strict=True):
            channel.undercoat = entry.undercoat.value
        return new, self._full(list(self._sets).index(channel_set), found.channels)

    def blend_changed(self) -> None:
        """Forget the compiled blend; the next question loads the newest."""
        self._blend = None

    def checkpoint(self) -> None:
        with self._sessions.begin() as session:
            write_checkpoint(
                session,
                self.ident,
                self._history.last,
                self._channels(),
            )

    # Answers

    def statistics(self, blend: BlendState) -> Statistics:
        """Coverage and histograms of all channels, and each layer's share of the surface.

        The one thing here that may run on another thread: it only reads, and a stroke going on
        meanwhile is answered by the statistics after it.
        """
        return surface_statistics(self.sites, self.inputs, self._channels(), blend)

    def probe(self, message: Probe) -> CoreSample:
        """What is at a place, and how many sites the brush would reach there."""
        if message.triangle >= self.mesh.triangles.shape[0]:
            raise Refusal("There is no such triangle.", "Load the surface again.")
        reach = self._reaches[message.reach]
        return core_sample(message, self.sites, self.inputs, self._channels(), self.compiled(), reach)

    def _channels(self) -> dict[UUID, list[Channel]]:
        return {ident: found.channels for ident, found in self._sets.items()}

    def compiled(self) -> BlendState:
        """The newest blend, compiled."""
        if self._blend is None:
            with self._sessions() as session:
                self._blend, self._decoded = load_blend(session, self.ident, self._decoded)
        return self._blend

    # Small things

    def _require_quiet(self) -> None:
        if self._stroke is not None:
            raise Refusal("A stroke is being painted on this surface.", "Finish it first.")

    def _set(self, ident: UUID) -> _OpenSet:
        found = self._sets.get(ident)
        if found is None:
            raise Refusal("This channel set is not on this surface.", "Load the surface again.")
        return found

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

    def _changed(self, channel_set: UUID, number: int, sites: U32) -> bytes | None:
        if not sites.size:
            return None
        channel = self._set(channel_set).channels[number]
        index = list(self._sets).index(channel_set)
        # A sparse frame spends six bytes on a site, a full one two.
        if 3 * sites.size > self.sites.count:
            return full_frame(index, {number: channel.values()})
        return sparse_frame(index, sites, {number: channel.values(sites)})
