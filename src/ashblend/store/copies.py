"""A project copied with everything in it: materials, stencils, recipes, blends, surfaces with paint, history and snapshots.

Rows are copied under new ids, and whatever names an id in JSON or in deltas is written anew. Files, meshes and tiles
are known by their contents and are shared.
"""

import json
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import insert, select, union
from sqlalchemy.orm import Session

from ashblend.core.recipe.document import Recipe
from ashblend.core.surface.undercoat import digest
from ashblend.store.deltas import pack_deltas, unpack_deltas
from ashblend.store.models import (
    Base,
    Blend,
    Bookmark,
    ChannelSet,
    ChannelTile,
    JournalEntry,
    KeptLight,
    KeptMeasure,
    KeptRecipe,
    LastView,
    Material,
    MeshLevel,
    Project,
    Sight,
    Snapshot,
    State,
    Stencil,
    StepPicture,
    Surface,
    Surroundings,
)
from ashblend.store.projects import get_project
from ashblend.store.states import keep_head

Ids = dict[UUID, UUID]
IDENT = re.compile(r"[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}")
# Rows of the journal in one statement: each may hold a few hundred kilobytes.
AT_ONCE = 50


def _renamed(document: Any, ids: Ids) -> Any:
    """The same document, with the new ids in the place of the old ones."""

    def new(found: re.Match[str]) -> str:
        return str(ids.get(UUID(found[0]), found[0]))

    return _made_from_the_new(document, json.loads(IDENT.sub(new, json.dumps(document))))


def _made_from_the_new(old: Any, new: Any) -> Any:
    """Undercoats know their recipe by its digest, in which ids count: one that was up to date stays it."""
    if isinstance(new, list):
        return [_made_from_the_new(before, after) for before, after in zip(old, new, strict=True)]
    if not isinstance(new, dict):
        return new
    out = (
        {key: _made_from_the_new(old[key], entry) for key, entry in new.items()}
        if old.keys() == new.keys()
        else new
    )
    made, recipe = out.get("made"), out.get("recipe")
    if made and recipe and made["recipe"] == digest(Recipe.model_validate(old["recipe"])):
        out["made"] = {**made, "recipe": digest(Recipe.model_validate(recipe))}
    return out


def _values(row: Base, **changed: Any) -> dict[str, Any]:
    """A row's columns, some of them changed."""
    columns = row.__table__.columns.keys()
    return {name: changed.get(name, getattr(row, name)) for name in columns}


def _copy_rows(session: Session, table: type[Base], rows: Iterable[dict[str, Any]]) -> None:
    waiting: list[dict[str, Any]] = []
    for row in rows:
        waiting.append(row)
        if len(waiting) >= AT_ONCE:
            session.execute(insert(table), waiting)
            waiting = []
    if waiting:
        session.execute(insert(table), waiting)


def _new_state(session: Session, sha: str, ids: Ids, known: dict[str, str]) -> str:
    if sha not in known:
        known[sha] = keep_head(session, _renamed(session.get_one(State, sha).head, ids))
    return known[sha]


def _journal(
    session: Session, old: UUID, new: UUID, ids: Ids, states: dict[str, str]
) -> Iterable[dict[str, Any]]:
    numbers = session.scalars(
        select(JournalEntry.number).where(JournalEntry.surface_id == old).order_by(JournalEntry.number)
    ).all()
    for number in numbers:
        row = session.get_one(JournalEntry, (old, number))
        deltas = row.deltas
        if deltas is not None:
            deltas = pack_deltas((ids.get(ident, ident), delta) for ident, delta in unpack_deltas(deltas))
        changed = row.states
        if changed is not None:
            changed = {side: _new_state(session, sha, ids, states) for side, sha in changed.items()}
        documents, address = (
            None if part is None else _renamed(part, ids) for part in (row.documents, row.address)
        )
        yield _values(
            row, surface_id=new, deltas=deltas, states=changed, documents=documents, address=address
        )
        session.expunge(row)


def _copy_surface(session: Session, old: UUID, ids: Ids) -> None:
    new = ids[old]
    for row in session.scalars(select(ChannelSet).where(ChannelSet.surface_id == old)).all():
        values = _values(row, id=ids[row.id], surface_id=new, sites=_renamed(row.sites, ids))
        values["document"] = _renamed(row.document, ids)
        _copy_rows(session, ChannelSet, [values])
        tiles = session.scalars(select(ChannelTile).where(ChannelTile.channel_set_id == row.id)).all()
        _copy_rows(session, ChannelTile, (_values(t, channel_set_id=ids[row.id]) for t in tiles))
    states: dict[str, str] = {}
    _copy_rows(session, JournalEntry, _journal(session, old, new, ids, states))
    around = session.get(Surroundings, old)
    if around is not None:
        _copy_rows(session, Surroundings, [_values(around, id=new, document=_renamed(around.document, ids))])
    for table in (MeshLevel, StepPicture, LastView, KeptMeasure, Sight):
        rows = session.scalars(select(table).where(table.surface_id == old)).all()
        _copy_rows(session, table, (_values(row, surface_id=new) for row in rows))
    marks = session.scalars(select(Bookmark).where(Bookmark.surface_id == old)).all()
    _copy_rows(session, Bookmark, (_values(m, id=uuid4(), surface_id=new) for m in marks))
    snapshots = session.scalars(select(Snapshot).where(Snapshot.surface_id == old)).all()
    _copy_rows(
        session,
        Snapshot,
        (
            _values(s, id=uuid4(), surface_id=new, state=_new_state(session, s.state, ids, states))
            for s in snapshots
        ),
    )


def _sets_of_the_past(session: Session, surfaces: Sequence[UUID]) -> Iterator[UUID]:
    """Sets that only the history knows of: an undo may bring them back, here and in the copy."""
    kept = [
        select(JournalEntry.states[side].astext).where(JournalEntry.surface_id.in_(surfaces))
        for side in ("before", "after")
    ]
    snapshots = select(Snapshot.state).where(Snapshot.surface_id.in_(surfaces))
    for head in session.scalars(select(State.head).where(State.sha.in_(union(*kept, snapshots)))):
        yield from (UUID(entry["id"]) for entry in head["sets"])


def _owned(session: Session, project: UUID) -> Mapping[type[Base], list[Any]]:
    """Rows that belong to a project and have ids of their own. What lies in the bin is left there."""
    surfaces = session.scalars(
        select(Surface).where(Surface.project_id == project, Surface.removed_at.is_(None))
    ).all()
    return {
        Material: list(session.scalars(select(Material).where(Material.project_id == project))),
        Stencil: list(session.scalars(select(Stencil).where(Stencil.project_id == project))),
        KeptRecipe: list(session.scalars(select(KeptRecipe).where(KeptRecipe.project_id == project))),
        KeptLight: list(session.scalars(select(KeptLight).where(KeptLight.project_id == project))),
        # Those that stand for themselves come before their variants.
        Blend: list(
            session.scalars(
                select(Blend).where(Blend.project_id == project).order_by(Blend.base.is_not(None), Blend.id)
            )
        ),
        Surface: list(surfaces),
    }


def copy_project(session: Session, ident: UUID, name: str) -> Project:
    """A copy of a project. Raises Missing.

    Reads what was there at one moment: called first thing in a transaction.
    """
    session.connection(execution_options={"isolation_level": "REPEATABLE READ"})
    get_project(session, ident)
    project = Project(name=name[:60])
    session.add(project)
    session.flush()
    owned = _owned(session, ident)
    surfaces = [row.id for row in owned[Surface]]
    sets = session.scalars(select(ChannelSet.id).where(ChannelSet.surface_id.in_(surfaces))).all()
    ids: Ids = {old: uuid4() for old in (*(row.id for rows in owned.values() for row in rows), *sets)}
    for old in _sets_of_the_past(session, surfaces):
        ids.setdefault(old, uuid4())
    for table, rows in owned.items():
        for row in rows:
            changed: dict[str, Any] = {"id": ids[row.id], "project_id": project.id}
            for column in ("document", "facts", "bindings"):
                if hasattr(row, column):
                    changed[column] = _renamed(getattr(row, column), ids)
            for column in ("base", "blend_id"):
                if (there := getattr(row, column, None)) is not None:
                    changed[column] = ids[there]
            session.execute(insert(table), [_values(row, **changed)])
    for surface in surfaces:
        _copy_surface(session, surface, ids)
    return project
