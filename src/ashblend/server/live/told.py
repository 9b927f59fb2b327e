"""What the session says, as messages to windows."""

from dataclasses import asdict, dataclass

from ashblend.server.live.frames import frame_of
from ashblend.server.live.messages import DocumentChanged, Hello, HistoryState, PaintedOver, Reshaped, Saved
from ashblend.session.outcome import DocumentRevision, HistoryAt, Outcome
from ashblend.session.surface import OpenSurface


@dataclass(frozen=True)
class Told:
    """An outcome as messages. reshaped: the last of them, where the step made another shape."""

    frames: list[bytes]
    documents: list[DocumentChanged]
    saved: Saved
    reshaped: Reshaped | None


def _history(at: HistoryAt) -> HistoryState:
    return HistoryState(undo=at.undo, redo=at.redo, steps=at.steps, at=at.at, on=at.on)


def _documents(written: list[DocumentRevision]) -> list[DocumentChanged]:
    return [DocumentChanged(kind=one.kind, id=one.id, revision=one.revision) for one in written]


def told(outcome: Outcome) -> Told:
    """On the surface's thread: values are read here."""
    over = outcome.painted_over
    saved = Saved(
        number=outcome.number,
        stroke=outcome.stroke,
        label=outcome.label,
        history=_history(outcome.history),
        painted_over=PaintedOver(**asdict(over)) if over else None,
        reshapes=outcome.reshaped is not None,
    )
    reshaped = None if outcome.reshaped is None else Reshaped(shape=outcome.reshaped, label=outcome.label)
    frames = [frame_of(change) for change in outcome.changes]
    return Told(frames, _documents(outcome.documents), saved, reshaped)


def hello(surface: OpenSurface) -> Hello:
    """The first word to a window."""
    return Hello(
        shape=surface.shape.number,
        channel_sets=list(surface.sets),
        documents=_documents(surface.documents()),
        history=_history(surface.history()),
    )
