"""Migrations, blobs, documents, tiles and the journal."""

import threading
from uuid import uuid4

import numpy as np
import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from hypothesis import given
from hypothesis import strategies as st
from samples import small_project, stored_channels
from shapes import plane as level_square
from sqlalchemy import func, select, text
from sqlalchemy.exc import IntegrityError

from ashblend.core.channels.channel import Channel
from ashblend.core.channels.delta import ChannelDelta, changed_between
from ashblend.core.channels.quantise import FULL
from ashblend.core.sets.document import ChannelDocument, ChannelSetDocument
from ashblend.core.sites.layout import TILE
from ashblend.core.sites.lineage import Mixed
from ashblend.core.surface.kinds.texels import TexelSites
from ashblend.core.surface.kinds.vertices import VertexSites
from ashblend.core.surface.shape import LevelState
from ashblend.core.surface.state import SetState, SurfaceState
from ashblend.store.blobs import get_blob, put_blob
from ashblend.store.deltas import pack_deltas, unpack_deltas
from ashblend.store.documents import write_document
from ashblend.store.errors import Missing, NothingToUndo, StaleRevision
from ashblend.store.journal import History, append_reference, append_step, read_history
from ashblend.store.models import Base, Blend, Blob, ChannelSet, ChannelTile, Surface
from ashblend.store.states import get_state, put_state
from ashblend.store.surfaces import bring_facts_up_to_date, write_checkpoint
from ashblend.store.tiles import read_channel, write_channel


def test_migrations_make_exactly_the_models(engine):
    with engine.connect() as connection:
        difference = compare_metadata(MigrationContext.configure(connection), Base.metadata)
        external = connection.scalar(
            text("select attstorage from pg_attribute where attrelid = 'tile'::regclass and attname = 'data'")
        )
    assert difference == []
    assert external == "e"


@pytest.mark.parametrize("size", [0, 1, 256 * 1024, 700_001])
def test_blobs_come_back_whole_and_are_kept_once(db, size):
    data = np.random.default_rng(size).bytes(size)
    with db.begin() as session:
        sha = put_blob(session, data)
        assert put_blob(session, data) == sha
        assert session.scalar(select(func.count()).select_from(Blob)) == 1
    with db() as session:
        assert get_blob(session, sha) == data
        with pytest.raises(Missing):
            get_blob(session, "0" * 64)


def test_of_two_writers_from_the_same_revision_one_is_told(db):
    sample = small_project(db)
    results: list[object] = []
    barrier = threading.Barrier(2)

    def write(name: str) -> None:
        with db.begin() as session:
            document = dict(session.get(Blend, sample.blend).document, name=name)
            barrier.wait()
            try:
                results.append(write_document(session, Blend, sample.blend, 1, document))
            except StaleRevision as error:
                results.append(error)

    threads = [threading.Thread(target=write, args=(name,)) for name in ("one", "two")]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sum(r == 2 for r in results) == 1
    assert [r.kept for r in results if isinstance(r, StaleRevision)] == [2]


@pytest.mark.parametrize("sites", [1, TILE - 1, TILE, 2 * TILE + 17])
def test_channels_come_back_from_tiles(db, sites):
    sample = small_project(db)
    rng = np.random.default_rng(sites)
    cover = rng.integers(0, FULL + 1, sites).astype(np.uint16)
    cover[: sites // 2] = 0
    channel = Channel(cover, cover // 2, 0.25)
    with db.begin() as session:
        write_channel(session, sample.channel_set, 2, channel)
    with db() as session:
        again = read_channel(session, sample.channel_set, 2, sites, 0.25)
        tiles = session.scalar(select(func.count()).select_from(ChannelTile))
    np.testing.assert_array_equal(channel.cover, again.cover)
    np.testing.assert_array_equal(channel.paint, again.paint)
    assert tiles <= 2 * -(-sites // TILE)


@given(st.integers(0, 2**32 - 1), st.integers(0, 400))
def test_deltas_survive_packing(seed, count):
    rng = np.random.default_rng(seed)
    sites = np.sort(rng.choice(10**6, count, replace=False)).astype(np.uint32)
    planes = rng.integers(0, FULL + 1, (4, count)).astype(np.uint16)
    from uuid import UUID

    ident = UUID(int=int(rng.integers(1, 2**62)))
    [(back_id, back)] = unpack_deltas(pack_deltas([(ident, ChannelDelta(3, sites, *planes))]))
    assert back_id == ident and back.channel == 3
    np.testing.assert_array_equal(back.sites, sites)
    for name, plane in zip(
        ("cover_before", "paint_before", "cover_after", "paint_after"), planes, strict=True
    ):
        np.testing.assert_array_equal(getattr(back, name), plane)


def test_any_history_of_acts_undo_redo_and_checkpoints_replays_to_the_same_bytes(db):
    sample = small_project(db)
    rng = np.random.default_rng(7)
    with db() as session:
        live = stored_channels(session, sample.surface)
    history = History()
    states = []
    for _ in range(60):
        choice = rng.random()
        number = history.last + 1
        with db.begin() as session:
            if (
                choice < 0.5
                or (choice < 0.75 and not history.done)
                or (choice >= 0.75 and not history.undone)
            ):
                channel = live[sample.channel_set][0]
                after = Channel(channel.cover.copy(), channel.paint.copy())
                chosen = rng.choice(1089, 40, replace=False)
                after.cover[chosen] = rng.integers(0, FULL + 1, 40)
                after.paint[chosen] = after.cover[chosen] // 3
                delta = changed_between(0, channel, after)
                changed = [(sample.channel_set, delta)]
                made = append_step(session, sample.surface, number, "stroke", "Paint", deltas=changed)
                states.append((number, delta))
                delta.apply(channel)
                history.record(number, "stroke", made)
            else:
                kind = "undo" if choice < 0.75 else "redo"
                step = history.to_undo() if kind == "undo" else history.to_redo()
                append_reference(session, sample.surface, number, kind, step)
                delta = next(d for n, d in states if n == step.number)
                (delta.reversed() if kind == "undo" else delta).apply(live[sample.channel_set][0])
                history.record(number, kind)
            if rng.random() < 0.15:
                write_checkpoint(session, sample.surface, history.last, live)
        with db() as session:
            again = stored_channels(session, sample.surface)
            assert read_history(session, sample.surface) == history
        for kept, expected in zip(again[sample.channel_set], live[sample.channel_set], strict=True):
            assert kept.cover.tobytes() == expected.cover.tobytes()
            assert kept.paint.tobytes() == expected.paint.tobytes()


def test_a_journal_number_cannot_be_taken_twice(db):
    sample = small_project(db)
    with db.begin() as session:
        append_step(session, sample.surface, 1, "stroke", "Paint")
    with pytest.raises(IntegrityError), db.begin() as session:
        append_step(session, sample.surface, 1, "stroke", "Paint")


def test_an_empty_history_has_nothing_to_undo():
    with pytest.raises(NothingToUndo):
        History().to_undo()
    with pytest.raises(NothingToUndo):
        History().to_redo()


def test_deleting_a_project_takes_everything_of_it_along(db):
    sample = small_project(db)
    with db.begin() as session:
        from ashblend.store.projects import get_project

        session.delete(get_project(session, sample.project))
    with db() as session:
        for table in (Blend, ChannelSet, ChannelTile):
            assert session.scalar(select(func.count()).select_from(table)) == 0


def test_surfaces_of_an_older_version_are_told_of_in_full(db):
    sample = small_project(db)
    with db.begin() as session:
        surface = session.get(Surface, sample.surface)
        whole = dict(surface.facts)
        surface.facts = {
            "vertices": 1089,
            "notes": ["kept"],
            "groups": [{"name": "plane", "triangles": 2048}],
        }
    with db.begin() as session:
        assert bring_facts_up_to_date(session) == 1
    with db.begin() as session:
        facts = session.get(Surface, sample.surface).facts
        assert facts["notes"] == ["kept"] and facts["groups"] == whole["groups"]
        assert facts["streams"] == whole["streams"]
        assert bring_facts_up_to_date(session) == 0


def test_a_whole_state_survives_being_kept(db):
    mesh = level_square(5, 1.0, uv=True)
    level = level_square(3, 1.0, uv=True)
    carry = Mixed(np.zeros((9, 3), np.int32), np.full((9, 3), 1 / 3))
    document = ChannelSetDocument(name="Set", channels=(ChannelDocument(name="One"),), bits=8)
    rng = np.random.default_rng(1)

    def channel(count: int) -> Channel:
        return Channel(*rng.integers(0, FULL + 1, (2, count)).astype(np.uint16))

    first = SetState(uuid4(), VertexSites(), document, (channel(25),))
    follower = SetState(uuid4(), VertexSites(level=1, follows=first.id), document, (channel(9),))
    texels = SetState(uuid4(), TexelSites(size=256), document, (channel(100),))
    state = SurfaceState(mesh, (LevelState("Low", level, carry),), (first, follower, texels))
    with db.begin() as session:
        sha = put_state(session, state)
        assert put_state(session, state) == sha, "kept once"
    with db() as session:
        back = get_state(session, sha)
    np.testing.assert_array_equal(back.mesh.positions, mesh.positions)
    np.testing.assert_array_equal(back.levels[0].mesh.triangles, level.triangles)
    np.testing.assert_array_equal(back.levels[0].carry.shares, carry.shares)
    for kept, entry in zip(back.sets, state.sets, strict=True):
        assert (kept.id, kept.sites, kept.document) == (entry.id, entry.sites, entry.document)
        np.testing.assert_array_equal(kept.channels[0].cover, entry.channels[0].cover)
        np.testing.assert_array_equal(kept.channels[0].paint, entry.channels[0].paint)
