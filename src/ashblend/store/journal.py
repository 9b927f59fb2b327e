"""The journal of a surface: a list of steps, and the history that follows from it."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import BigInteger, ColumnElement, String, any_, cast, delete, func, insert, literal, select
from sqlalchemy.dialects.postgresql import ARRAY
from sqlalchemy.orm import InstrumentedAttribute, Session

from ashblend.core.surface.address import ChannelAddress
from ashblend.store.deltas import SetDelta, pack_deltas, unpack_deltas
from ashblend.store.errors import Missing, NothingToUndo
from ashblend.store.models import JournalEntry, StepPicture, Surface

# Old history is let go at a checkpoint: all but the last KEPT_STEPS steps, once they take more than KEPT_BYTES.
KEPT_STEPS = 1000
KEPT_BYTES = 64_000_000


@dataclass(frozen=True)
class Step:
    """One step that can be undone: its journal number, what to call it, and when it was done.

    states: before and after, for a step that changed more than values. documents: those it changed.
    valued: whether it changed values. address: of the channel, where it was one alone.
    """

    number: int
    label: str
    made_at: datetime | None = None
    states: tuple[str, str] | None = None
    documents: tuple[dict[str, Any], ...] = ()
    valued: bool = True
    address: ChannelAddress | None = None


@dataclass
class History:
    """done: steps in force, oldest first. undone: steps taken back, the next to redo last."""

    last: int = 0
    done: list[Step] = field(default_factory=list)
    undone: list[Step] = field(default_factory=list)

    def record(self, number: int, kind: str, step: Step | None = None) -> None:
        """Follow one journal entry. step: of a step; undo and redo move those there are."""
        self.last = max(self.last, number)
        if kind == "undo":
            self.undone.append(self.done.pop())
        elif kind == "redo":
            self.done.append(self.undone.pop())
        elif step is not None:
            self.done.append(step)
            self.undone.clear()

    def replace_newest(self, step: Step) -> None:
        """The newest step went on."""
        self.done[-1] = step

    def to_undo(self) -> Step:
        if not self.done:
            raise NothingToUndo("There is nothing to undo.")
        return self.done[-1]

    def to_redo(self) -> Step:
        if not self.undone:
            raise NothingToUndo("There is nothing to redo.")
        return self.undone[-1]


def read_history(session: Session, surface: UUID) -> History:
    # What was let go may have had the highest number; the checkpoint has seen it.
    history = History(last=session.scalar(select(Surface.checkpoint).where(Surface.id == surface)) or 0)
    rows = session.execute(
        select(
            JournalEntry.number,
            JournalEntry.kind,
            JournalEntry.label,
            JournalEntry.made_at,
            JournalEntry.states,
            JournalEntry.documents,
            JournalEntry.deltas.is_not(None),
            JournalEntry.address,
        )
        .where(JournalEntry.surface_id == surface)
        .order_by(JournalEntry.number)
    )
    for number, kind, label, made_at, states, documents, valued, address in rows:
        pair = (states["before"], states["after"]) if states else None
        on = ChannelAddress.model_validate(address) if address else None
        history.record(number, kind, Step(number, label, made_at, pair, tuple(documents or ()), valued, on))
    return history


def last_steps(session: Session, surfaces: Sequence[UUID]) -> dict[UUID, datetime]:
    """When something was last done on each of some surfaces; those with no step are left out."""
    rows = session.execute(
        select(JournalEntry.surface_id, func.max(JournalEntry.made_at))
        .where(JournalEntry.surface_id.in_(surfaces))
        .group_by(JournalEntry.surface_id)
    )
    return {row[0]: row[1] for row in rows}


def append_step(
    session: Session,
    surface: UUID,
    number: int,
    kind: str,
    label: str,
    *,
    deltas: Sequence[SetDelta] = (),
    states: tuple[str, str] | None = None,
    documents: Sequence[dict[str, Any]] = (),
) -> Step:
    """Add a step with what it changed. A number already taken fails on the primary key."""
    changed = {(ident, delta.channel) for ident, delta in deltas}
    address = None
    if len(changed) == 1:
        [(ident, channel)] = changed
        address = ChannelAddress(channel_set=ident, channel=channel)
    entry = JournalEntry(
        surface_id=surface,
        number=number,
        kind=kind,
        label=label,
        deltas=pack_deltas(deltas) if deltas else None,
        states={"before": states[0], "after": states[1]} if states else None,
        documents=list(documents) or None,
        address=address and address.model_dump(mode="json"),
    )
    session.add(entry)
    session.flush()
    return Step(number, label, entry.made_at, states, tuple(documents), bool(deltas), address)


def go_on_with_step(
    session: Session,
    surface: UUID,
    step: Step,
    label: str,
    documents: Sequence[dict[str, Any]],
    now: datetime,
) -> Step:
    """Let a step have gone on to newer documents."""
    entry = session.get_one(JournalEntry, (surface, step.number))
    entry.label = label
    entry.documents = list(documents)
    entry.made_at = now
    session.flush()
    return replace(step, label=label, made_at=now, documents=tuple(documents))


def append_reference(session: Session, surface: UUID, number: int, kind: str, step: Step) -> None:
    """Add an undo or a redo of a step."""
    session.add(
        JournalEntry(surface_id=surface, number=number, kind=kind, label=step.label, refers_to=step.number)
    )
    session.flush()


def append_references(session: Session, surface: UUID, first: int, kind: str, steps: Sequence[Step]) -> None:
    """Add undos or redos of many steps, numbered from `first`."""
    # As arrays in one statement: 25 000 rows take a tenth of a second, and two as rows.
    told = (
        func.unnest(
            cast([first + at for at in range(len(steps))], ARRAY(BigInteger)),
            cast([step.label for step in steps], ARRAY(String)),
            cast([step.number for step in steps], ARRAY(BigInteger)),
        )
        .table_valued("number", "label", "refers_to")
        .render_derived()
    )
    rows = select(literal(surface), told.c.number, literal(kind), told.c.label, told.c.refers_to)
    columns = ["surface_id", "number", "kind", "label", "refers_to"]
    session.execute(insert(JournalEntry).from_select(columns, rows, include_defaults=False))


def _among(number: InstrumentedAttribute[int], wanted: Sequence[int]) -> ColumnElement[bool]:
    """Whether a number is one of many. As one array: 25 000 parameters take 1.6 s to be written down."""
    return number == any_(cast(wanted, ARRAY(BigInteger)))


# Steps whose deltas are fetched in one statement: they may take a few hundred kilobytes each.
AT_ONCE = 256


def packed_deltas(session: Session, surface: UUID, numbers: Sequence[int]) -> list[bytes | None]:
    """What many steps changed in values, packed, in the order that is asked for.

    Tried: a binary cursor for all of them at once. 10 000 steps took as long.
    """
    found: dict[int, bytes | None] = {}
    for begin in range(0, len(numbers), AT_ONCE):
        part = numbers[begin : begin + AT_ONCE]
        rows = session.execute(
            select(JournalEntry.number, JournalEntry.deltas).where(
                JournalEntry.surface_id == surface, _among(JournalEntry.number, part)
            )
        )
        found.update((number, deltas) for number, deltas in rows)
    return [found.get(number) for number in numbers]


def read_deltas(session: Session, surface: UUID, number: int) -> list[SetDelta]:
    """What a step changed in values."""
    found = session.execute(
        select(JournalEntry.deltas).where(JournalEntry.surface_id == surface, JournalEntry.number == number)
    ).first()
    if found is None:
        raise Missing("journal entry", str(number))
    return unpack_deltas(found[0]) if found[0] is not None else []


def deltas_since(session: Session, surface: UUID, number: int) -> list[SetDelta]:
    """Everything that happened to values after an entry, undo and redo resolved, in order."""
    rows = session.execute(
        select(JournalEntry.number, JournalEntry.kind, JournalEntry.refers_to)
        .where(JournalEntry.surface_id == surface, JournalEntry.number > number)
        .order_by(JournalEntry.number)
    ).all()
    packed = packed_deltas(session, surface, [entry if of is None else of for entry, _, of in rows])
    out: list[SetDelta] = []
    for (_, kind, _), data in zip(rows, packed, strict=True):
        deltas = unpack_deltas(data) if data is not None else []
        out += [(s, d.reversed()) for s, d in reversed(deltas)] if kind == "undo" else deltas
    return out


def _let_go(session: Session, surface: UUID, numbers: Iterable[int]) -> None:
    gone = list(numbers)
    for table in (JournalEntry, StepPicture):
        session.execute(delete(table).where(table.surface_id == surface, _among(table.number, gone)))


def thin(
    session: Session,
    surface: UUID,
    history: History,
    checkpoint: int,
    *,
    steps: int = KEPT_STEPS,
    most_bytes: int = KEPT_BYTES,
) -> list[Step]:
    """Let go of what the history has no more use for; steps that it must forget once that is committed.

    Up to the checkpoint: steps that were taken back and painted over, what undo and redo wrote about steps
    that are in force, and the oldest steps beyond `steps` once all take more than `most_bytes`.
    """
    rows = session.execute(
        select(
            JournalEntry.number,
            JournalEntry.refers_to,
            func.coalesce(func.octet_length(JournalEntry.deltas), 0),
        )
        .where(JournalEntry.surface_id == surface, JournalEntry.number <= checkpoint)
        .order_by(JournalEntry.number)
    ).all()
    size = {number: held for number, _, held in rows}
    undone = {step.number for step in history.undone}
    total = sum(size.get(step.number, 0) for step in history.done)
    forgotten = []
    for step in history.done[: max(0, len(history.done) - steps)]:
        if total <= most_bytes or step.number > checkpoint:
            break
        total -= size.get(step.number, 0)
        forgotten.append(step)
    reachable = {step.number for step in history.done[len(forgotten) :]} | undone
    last_reference = {refers_to: number for number, refers_to, _ in rows if refers_to is not None}
    gone = []
    for number, refers_to, _ in rows:
        if refers_to is None:
            kept = number in reachable
        else:
            # A step taken back needs the last word on that, and only that.
            kept = refers_to in undone and last_reference[refers_to] == number
        if not kept:
            gone.append(number)
    _let_go(session, surface, gone)
    return forgotten
