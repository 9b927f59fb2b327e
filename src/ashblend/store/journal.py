"""The journal of a surface: an append-only list of acts, and the history that follows from it."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from ashblend.store.errors import Missing, NothingToUndo
from ashblend.store.models import JournalEntry
from ashblend.store.planes import SetDelta, pack_deltas, unpack_deltas


@dataclass(frozen=True)
class Step:
    """One act that can be undone: its journal number and what to call it."""

    number: int
    label: str


@dataclass
class History:
    """done: acts in force, oldest first. undone: acts taken back, the next to redo last."""

    last: int = 0
    done: list[Step] = field(default_factory=list)
    undone: list[Step] = field(default_factory=list)

    def record(self, number: int, kind: str, label: str) -> None:
        """Follow one journal entry."""
        self.last = number
        if kind == "undo":
            self.undone.append(self.done.pop())
        elif kind == "redo":
            self.done.append(self.undone.pop())
        else:
            self.done.append(Step(number, label))
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
        select(JournalEntry.number, JournalEntry.kind, JournalEntry.label)
        .where(JournalEntry.surface_id == surface)
        .order_by(JournalEntry.number)
    )
    for number, kind, label in rows:
        history.record(number, kind, label)
    return history


def append_act(
    session: Session, surface: UUID, number: int, kind: str, label: str, deltas: Iterable[SetDelta]
) -> None:
    """Add an act with what it changed. A number already taken fails on the primary key."""
    session.add(
        JournalEntry(surface_id=surface, number=number, kind=kind, label=label, deltas=pack_deltas(deltas))
    )
    session.flush()


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
