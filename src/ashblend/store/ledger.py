"""What is kept of an open surface: steps as they are done, documents, checkpoints, old history let go."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from ashblend.core.channels.channel import Channel
from ashblend.core.surface.state import SurfaceState
from ashblend.core.tree.host import value_at
from ashblend.core.tree.pointers import changed_pointers
from ashblend.store.database import Sessions
from ashblend.store.deltas import SetDelta, unpack_deltas
from ashblend.store.documents import get_row, write_document
from ashblend.store.journal import (
    History,
    Step,
    append_reference,
    append_references,
    append_step,
    go_on_with_step,
    packed_deltas,
    read_deltas,
    read_history,
    thin,
)
from ashblend.store.models import Blend, ChannelSet
from ashblend.store.states import get_state, put_state, sweep_states, write_state
from ashblend.store.surfaces import get_surface, write_checkpoint
from ashblend.store.tiles import sweep

# Edits of the same part of a document that come this soon after each other are one step: a slider being dragged, or
# the numbers of one that are tried by typing.
ONE_EDIT, TYPED = timedelta(seconds=2), timedelta(seconds=15)
# So many steps after the last one a checkpoint is due: opening replays no more than these.
STEPS_A_CHECKPOINT = 200

TABLES: dict[str, type[ChannelSet] | type[Blend]] = {"channel_set": ChannelSet, "blend": Blend}


@dataclass(frozen=True)
class Edit:
    """A document before and after a step. kind: "channel_set" or "blend". revision: it was made from."""

    kind: str
    id: UUID
    before: dict[str, Any]
    after: dict[str, Any]
    revision: int | None = None

    def stored(self) -> dict[str, Any]:
        return {"kind": self.kind, "id": str(self.id), "before": self.before, "after": self.after}

    def reversed(self) -> "Edit":
        return Edit(self.kind, self.id, self.after, self.before)


def _is_number(edit: Edit, pointer: str) -> bool:
    value = value_at(edit.after, pointer)
    return isinstance(value, int | float) and not isinstance(value, bool)


@dataclass(frozen=True)
class Written:
    """An edit as it was kept, with the new revision."""

    edit: Edit
    revision: int


class DocumentMoved(ValueError):
    """A document is no longer what a step left, so that the step cannot be taken back."""


def _edit_of(stored: dict[str, Any]) -> Edit:
    return Edit(stored["kind"], UUID(stored["id"]), stored["before"], stored["after"])


def _unpacked(packed: Sequence[bytes | None], kind: str) -> Iterator[SetDelta]:
    for data in packed:
        deltas = unpack_deltas(data) if data is not None else []
        if kind == "undo":
            yield from ((s, d.reversed()) for s, d in reversed(deltas))
        else:
            yield from deltas


class Ledger:
    """The journal of one surface, and everything that is written along with it."""

    def __init__(self, sessions: Sessions, surface: UUID) -> None:
        self._sessions = sessions
        self._surface = surface
        with sessions() as session:
            self.history: History = read_history(session, surface)
            self._checkpoint = get_surface(session, surface).checkpoint

    @property
    def due(self) -> bool:
        """Whether a checkpoint should be written, so that opening never replays much."""
        return self.history.last - self._checkpoint >= STEPS_A_CHECKPOINT

    def _write(self, session: Session, edits: Sequence[Edit]) -> list[Written]:
        """Raises StaleRevision, DocumentMoved."""
        out = []
        for edit in edits:
            table = TABLES[edit.kind]
            revision = edit.revision
            if revision is None:
                row: ChannelSet | Blend = get_row(session, table, edit.id)  # type: ignore[type-var]
                if row.document != edit.before:
                    raise DocumentMoved
                revision = row.revision
            new = write_document(session, table, edit.id, revision, edit.after)  # type: ignore[type-var]
            out.append(Written(edit, new))
        return out

    def record(
        self, kind: str, label: str, deltas: Sequence[SetDelta] = (), edits: Sequence[Edit] = ()
    ) -> list[Written]:
        """Keep a step on values and documents; one that changed nothing is none."""
        deltas = [(s, d) for s, d in deltas if not d.empty]
        if not deltas and not edits:
            return []
        number = self.history.last + 1
        with self._sessions.begin() as session:
            written = self._write(session, edits)
            step = append_step(
                session,
                self._surface,
                number,
                kind,
                label[:120],
                deltas=deltas,
                documents=[edit.stored() for edit in edits],
            )
        self.history.record(number, kind, step)
        return written

    def record_edit(
        self,
        label: str,
        edit: Edit,
        anew: Callable[[dict[str, Any], dict[str, Any]], str] | None = None,
    ) -> list[Written]:
        """Keep an edit of a document; one that goes on with the newest step becomes part of that.

        anew: what such a step is called from what was there before it and what is there now.
        """
        if edit.before == edit.after:
            return []
        newest = self.history.done[-1] if self.history.done and not self.history.undone else None
        now = datetime.now(UTC)
        if newest is None or not self._goes_on(newest, edit, now):
            return self.record("edit", label, edits=[edit])
        first = _edit_of(newest.documents[0])
        whole = Edit(edit.kind, edit.id, first.before, edit.after)
        with self._sessions.begin() as session:
            written = self._write(session, [edit])
            called = anew(whole.before, whole.after)[:120] if anew else newest.label
            step = go_on_with_step(session, self._surface, newest, called, [whole.stored()], now)
        self.history.replace_newest(step)
        return written

    def _goes_on(self, newest: Step, edit: Edit, now: datetime) -> bool:
        if len(newest.documents) != 1 or newest.states is not None or newest.made_at is None:
            return False
        before = _edit_of(newest.documents[0])
        if (before.kind, before.id) != (edit.kind, edit.id) or before.after != edit.before:
            return False
        changed = changed_pointers(edit.before, edit.after)
        same = changed_pointers(before.before, before.after) == changed
        # A clock that was set back makes the newest step one of the future.
        since = now - newest.made_at
        number = all(_is_number(edit, pointer) for pointer in changed)
        soon = TYPED if number else ONE_EDIT
        return same and self.history.last == newest.number and timedelta(0) <= since < soon

    def record_change(
        self,
        kind: str,
        label: str,
        before: SurfaceState,
        after: SurfaceState,
        facts: dict[str, Any],
    ) -> SurfaceState:
        """Keep a step that took the surface from one whole state to another; the state as it is kept."""
        number = self.history.last + 1
        with self._sessions.begin() as session:
            shas = put_state(session, before), put_state(session, after)
            step = append_step(session, self._surface, number, kind, label[:120], states=shas)
            kept = write_state(session, get_surface(session, self._surface), number, after, facts)
        self.history.record(number, kind, step)
        self._checkpoint = number
        return kept

    def step_to(self, kind: str) -> Step:
        """The step that an undo or a redo is about. Raises NothingToUndo."""
        return self.history.to_undo() if kind == "undo" else self.history.to_redo()

    def deltas_of(self, step: Step, kind: str) -> list[SetDelta]:
        """What undoing or redoing a step changes in values."""
        with self._sessions() as session:
            deltas = read_deltas(session, self._surface, step.number)
        if kind == "undo":
            deltas = [(s, d.reversed()) for s, d in reversed(deltas)]
        return deltas

    def refer(self, kind: str, step: Step) -> list[Written]:
        """Keep that a step on values and documents was undone or redone. Raises DocumentMoved."""
        number = self.history.last + 1
        edits = [_edit_of(stored) for stored in step.documents]
        if kind == "undo":
            edits = [edit.reversed() for edit in reversed(edits)]
        with self._sessions.begin() as session:
            written = self._write(session, edits)
            append_reference(session, self._surface, number, kind, step)
        self.history.record(number, kind)
        return written

    def refer_all(self, kind: str, steps: Sequence[Step]) -> Iterator[SetDelta]:
        """Keep that steps on values alone were undone or redone, in this order; what that changes in values."""
        with self._sessions.begin() as session:
            packed = packed_deltas(session, self._surface, [step.number for step in steps])
            append_references(session, self._surface, self.history.last + 1, kind, steps)
        for _ in steps:
            self.history.record(self.history.last + 1, kind)
        return _unpacked(packed, kind)

    def state_of(self, step: Step, kind: str) -> SurfaceState:
        """The whole state that undoing or redoing a step leads to."""
        assert step.states is not None
        with self._sessions() as session:
            return get_state(session, step.states[0 if kind == "undo" else 1])

    def refer_state(self, kind: str, step: Step, state: SurfaceState, facts: dict[str, Any]) -> SurfaceState:
        """Keep that a step between whole states was undone or redone; the state as it is kept."""
        number = self.history.last + 1
        with self._sessions.begin() as session:
            append_reference(session, self._surface, number, kind, step)
            kept = write_state(session, get_surface(session, self._surface), number, state, facts)
        self.history.record(number, kind)
        self._checkpoint = number
        return kept

    def checkpoint(self, channels: Mapping[UUID, Sequence[Channel]]) -> None:
        """Write the tiles that changed, and let go of what nobody needs any more."""
        with self._sessions.begin() as session:
            replaced = write_checkpoint(session, self._surface, self.history.last, channels)
            forgotten = thin(session, self._surface, self.history, self.history.last)
        # Only now: a commit that fails leaves the history as it is.
        for step in forgotten:
            self.history.done.remove(step)
        self._checkpoint = self.history.last
        self._sweep(replaced)

    def _sweep(self, tiles: list[str]) -> None:
        try:
            with self._sessions.begin() as session:
                sweep(session, [*tiles, *sweep_states(session)])
        except IntegrityError:
            # Another surface has just come to refer to one of them: left for the next time.
            return

    def shape_number(self) -> int:
        with self._sessions() as session:
            return get_surface(session, self._surface).shape
