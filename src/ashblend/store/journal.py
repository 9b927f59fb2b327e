"""The journal of a surface: an append-only list of acts, and the history that follows from it."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from ashblend.store.errors import Missing, NothingToUndo
from ashblend.store.models import JournalEntry
from ashblend.store.planes import SetDelta, pack_deltas, unpack_deltas


@dataclass(frozen=True)
class Step:
    """One act that can be undone: its journal number, what to call it, and when it was done.

    states: the blobs before and after, for an act that changed more than values.
    """

    number: int
    label: str
    made_at: datetime | None = None
    states: tuple[str, str] | None = None


@dataclass
class History:
    """done: acts in force, oldest first. undone: acts taken back, the next to redo last."""

    last: int = 0
    done: list[Step] = field(default_factory=list)
    undone: list[Step] = field(default_factory=list)

    def record(self, number: int, kind: str, step: Step | None = None) -> None:
        """Follow one journal entry. step: of an act; undo and redo move those there are."""
        self.last = number
        if kind == "undo":
            self.undone.append(self.done.pop())
        elif kind == "redo":
            self.done.append(self.undone.pop())
        elif step is not None:
            self.done.append(step)
            self.undone.clear()

    def to_undo(self) -> Step:
        if not self.done:
            raise NothingToUndo("There is nothing to undo.")
        return self.done[-1]

    def to_redo(self) -> Step:
        if not self.undone:
            raise NothingToUndo("There is nothing to redo.")
        return self.undone[-1]


def read_history(session: Session, surface: UUID) -> History:
    history = History()
    rows = session.execute(
        select(
            JournalEntry.number,
            JournalEntry.kind,
            JournalEntry.label,
            JournalEntry.made_at,
            JournalEntry.states,
        )
        .where(JournalEntry.surface_id == surface)
        .order_by(JournalEntry.number)
    )
    for number, kind, label, made_at, states in rows:
        pair = (states["before"], states["after"]) if states else None
        history.record(number, kind, Step(number, label, made_at, pair))
    return history


def append_act(
    session: Session, surface: UUID, number: int, kind: str, label: str, deltas: Iterable[SetDelta]
) -> Step:
    """Add an act with what it changed. A number already taken fails on the primary key."""
    entry = JournalEntry(
        surface_id=surface, number=number, kind=kind, label=label, deltas=pack_deltas(deltas)
    )
    session.add(entry)
    session.flush()
    return Step(number, label, entry.made_at)


def append_state_act(
    session: Session, surface: UUID, number: int, kind: str, label: str, before: str, after: str
) -> Step:
    """Add an act that took the surface from one whole state to another."""
    entry = JournalEntry(
        surface_id=surface,
        number=number,
        kind=kind,
        label=label,
        states={"before": before, "after": after},
    )
    session.add(entry)
    session.flush()
    return Step(number, label, entry.made_at, (before, after))


def append_reference(session: Session, surface: UUID, number: int, kind: str, step: Step) -> None:
    """Add an undo or a redo of a step."""
    session.add(
        JournalEntry(surface_id=surface, number=number, kind=kind, label=step.label, refers_to=step.number)
    )
    session.flush()


def read_deltas(session: Session, surface: UUID, number: int) -> list[SetDelta]:
    """What an act changed."""
    data = session.scalar(
        select(JournalEntry.deltas).where(JournalEntry.surface_id == surface, JournalEntry.number == number)
    )
    if data is None:
        raise Missing("journal entry", str(number))
    return unpack_deltas(data)


def deltas_since(session: Session, surface: UUID, number: int) -> list[SetDelta]:
    """Everything that happened after an entry, undo and redo resolved, in order."""
    rows = session.execute(
        select(JournalEntry.number, JournalEntry.kind, JournalEntry.refers_to)
        .where(JournalEntry.surface_id == surface, JournalEntry.number > number)
        .order_by(JournalEntry.number)
    ).all()
    out: list[SetDelta] = []
    for entry, kind, refers_to in rows:
        deltas = read_deltas(session, surface, entry if refers_to is None else refers_to)
        if kind == "undo":
            deltas = [(s, d.reversed()) for s, d in reversed(deltas)]
        out += deltas
    return out
