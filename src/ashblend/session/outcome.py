"""What an act on an open surface did, for whoever asked and for everyone who looks at it."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal
from uuid import UUID

from ashblend.core.arrays import F32, U32
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.open_set import OpenSet


@dataclass(frozen=True)
class Change:
    """Values that are others now. number: of the set on its surface. channels: ascending. sites: (k,) ascending, or None
    for every one. The values are those of `found` when they are read.
    """

    number: int
    found: OpenSet
    channels: Sequence[int]
    sites: U32 | None = None


@dataclass(frozen=True)
class HeightsMoved:
    """A part of a terrain's heights (rows, cols of the whole) that was painted, in metres."""

    heights: F32
    left: int
    top: int
    cols: int
    rows: int


AnyChange = Change | HeightsMoved


@dataclass(frozen=True)
class DocumentRevision:
    """A document that was written, and how often it was by now."""

    kind: Literal["channel_set", "blend"]
    id: UUID
    revision: int


@dataclass(frozen=True)
class HistoryAt:
    """Labels of the steps that undo and redo would take; steps: in force; at: number of the last; on: its one channel."""

    undo: str | None
    redo: str | None
    steps: int
    at: int
    on: ChannelAddress | None


@dataclass(frozen=True)
class PaintedOver:
    """Steps that were taken back and painted over, kept as a snapshot."""

    snapshot: UUID
    name: str
    steps: int


@dataclass
class Outcome:
    """A step that is in the database.

    number: of the last step in force. stroke: what its window calls it. reshaped: number of the shape that the step
    made, or None. note: what the artist should know besides.
    """

    number: int
    label: str
    history: HistoryAt
    changes: list[AnyChange] = field(default_factory=list)
    documents: list[DocumentRevision] = field(default_factory=list)
    stroke: str | None = None
    painted_over: PaintedOver | None = None
    reshaped: int | None = None
    note: str = ""

    def followed_by(self, other: "Outcome") -> "Outcome":
        """Two steps told as one."""
        return Outcome(
            other.number,
            other.label,
            other.history,
            [*self.changes, *other.changes],
            [*self.documents, *other.documents],
            other.stroke,
            other.painted_over or self.painted_over,
            other.reshaped if other.reshaped is not None else self.reshaped,
            other.note,
        )
