"""Going back and forth in an open surface's history, and snapshots of it."""

from itertools import takewhile
from uuid import UUID

from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shapes import shape_of
from ashblend.session.outcome import Outcome
from ashblend.session.surface import OpenSurface, facts_of
from ashblend.store.blends import blend_document, names_of
from ashblend.store.journal import Step
from ashblend.store.ledger import DocumentMoved
from ashblend.store.models import Snapshot
from ashblend.store.snapshots import create_snapshot, get_snapshot
from ashblend.store.states import get_state
from ashblend.store.surfaces import get_surface


def steps(surface: OpenSurface) -> tuple[list[Step], list[Step]]:
    """Steps in force, oldest first, and steps taken back, the next to redo first."""
    history = surface.ledger.history
    return list(history.done), list(reversed(history.undone))


def step(surface: OpenSurface, kind: str) -> Outcome:
    """Undo or redo one step. Raises NothingToUndo, Refusal."""
    surface.require_quiet()
    ledger = surface.ledger
    found = ledger.step_to(kind)
    label = f"{'Undid' if kind == 'undo' else 'Redid'}: {found.label}"
    if found.states is not None:
        state = ledger.state_of(found, kind)
        shape = shape_of(state.mesh, state.levels).taking_over(surface.shape)
        return surface.adopt(ledger.refer_state(kind, found, state, facts_of(shape)), label, shape)
    deltas = ledger.deltas_of(found, kind)
    try:
        written = ledger.refer(kind, found)
    except DocumentMoved:
        raise Refusal(
            "The blend has been changed from another surface since.",
            "Change it by hand, or take that change back there first.",
        ) from None
    return surface.told(label, surface.apply(deltas), written)


# Fewer steps than these are taken one by one: each sends what it changed, and no more.
LONG = 8


def _stride(surface: OpenSurface, kind: str, number: int) -> Outcome | None:
    """Undo or redo many steps at once, as far as they are on values alone; None for few.

    Their deltas are written one over another into the arrays, and windows get every value once.
    """
    history = surface.ledger.history
    if kind == "undo":
        ahead = [s for s in reversed(history.done) if s.number > number]
    else:
        ahead = [s for s in reversed(history.undone) if s.number <= number]
    run = list(takewhile(lambda s: s.states is None and not s.documents, ahead))
    if len(run) < LONG:
        return None
    deltas = surface.ledger.refer_all(kind, run)
    return surface.told(
        f"{'Undid' if kind == 'undo' else 'Redid'}: {len(run)} steps", surface.apply_all(deltas)
    )


def jump(surface: OpenSurface, number: int) -> Outcome:
    """Undo or redo until the step of this number is the last in force; 0: before the first."""
    surface.require_quiet()
    done, undone = steps(surface)
    if number and number not in [s.number for s in (*done, *undone)]:
        raise Refusal("This step is no longer in the history.", "Look at the list again.")
    kind = "redo" if number in [s.number for s in undone] else "undo"
    outcome: Outcome | None = None
    while (done[-1].number if (done := steps(surface)[0]) else 0) != number:
        following = _stride(surface, kind, number) or step(surface, kind)
        outcome = following if outcome is None else outcome.followed_by(following)
    if outcome is None:
        return surface.told("Already there", [])
    if len(outcome.changes) > len(surface.sets):
        outcome.changes = surface.everything()
    return outcome


def take_snapshot(surface: OpenSurface, name: str) -> Snapshot:
    state = surface.state()
    with surface.sessions.begin() as session:
        return create_snapshot(session, surface.ident, name, surface.ledger.history.last, state)


def restore(surface: OpenSurface, snapshot: UUID) -> Outcome:
    """Bring a snapshot's mesh and values back, as a step that can be undone; documents stay."""
    with surface.sessions() as session:
        row = get_snapshot(session, snapshot)
        state = get_state(session, row.state)
        kept = {entry.id for entry in state.sets}
        names = names_of(get_surface(session, surface.ident))
        read = names.sets_read(blend_document(session, surface.ident), off=True)
    if not read <= kept:
        raise Refusal(
            "A layer reads a channel set that this snapshot did not have.",
            "Let the layer read another channel first.",
        )
    return surface.change_state("restore", f"Back to {row.name}", lambda _: state)
