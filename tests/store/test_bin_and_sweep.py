"""The bin, what is swept, and safely beside what is being put; the shelf; copies of projects."""

import threading
import time
from datetime import timedelta
from uuid import uuid4

import numpy as np
import pytest
from limits import HANG
from samples import plain_maps, small_project, stored_channels
from sqlalchemy import func, select, text

from ashblend.core.channels.channel import Channel
from ashblend.store import bin
from ashblend.store.blobs import again, get_blob, put_blob
from ashblend.store.errors import Missing
from ashblend.store.materials import create_material, read_packs
from ashblend.store.models import Base, Blob, BlobPart, Material, Project, Surface, Tile
from ashblend.store.projects import create_project, list_projects, materials_of, surfaces_of
from ashblend.store.shelf import stock, take_everywhere, take_from_shelf
from ashblend.store.surfaces import get_surface
from ashblend.store.sweep import REFERENCES, _in_documents, sweep_all
from ashblend.store.tiles import TileWriter, write_channel

NOW = timedelta(0)


def counts(db) -> dict[str, int]:
    with db() as session:
        return {
            table.__tablename__: session.scalar(select(func.count()).select_from(table))
            for table in (Blob, BlobPart, Tile)
        }


def test_every_foreign_key_to_a_blob_is_looked_at_before_one_is_swept():
    keys = {
        (key.parent.table.name, key.parent.name)
        for table in Base.metadata.tables.values()
        for key in table.foreign_keys
        if key.column.table.name == "blob"
    } - {("blob_part", "sha")}
    previewed = set()
    for reference in REFERENCES:
        for column in reference.selected_columns:
            if getattr(column, "table", None) is not None and column.foreign_keys:
                previewed.add((column.table.name, column.name))
    assert previewed == keys
    assert str(_in_documents(Material, "maps")) in {str(r) for r in REFERENCES}


def test_what_is_in_use_survives_every_sweep(db):
    sample = small_project(db)
    with db.begin() as session:
        channel = Channel(np.full(1089, 7, np.uint16), np.full(1089, 9, np.uint16), 0.0)
        write_channel(session, sample.channel_set, 1, channel)
    before = counts(db)
    assert before["blob"] >= 5 and before["tile"] == 2
    for _ in range(2):
        swept = sweep_all(db, NOW)
        assert (swept.blobs, swept.tiles) == (0, 0)
    assert counts(db) == before
    with db() as session:
        assert stored_channels(session, sample.surface)[sample.channel_set][1].cover[0] == 7
        for material in session.scalars(select(Material)):
            read_packs(session, material)


def test_deleting_frees_everything_once_the_bin_is_emptied(db):
    kept = small_project(db)
    with db() as session:
        once = counts(db)
    with db.begin() as session:
        other = create_project(session, "Other").id
        create_material(session, other, "Odd", plain_maps((9, 120, 33), 200))
        surface = session.get_one(Surface, kept.surface)
        session.add(
            Surface(project_id=other, name="Twin", file_name="t.glb", source=surface.source, facts={})
        )
        put_blob(session, b"of an upload that came to nothing")
    with db.begin() as session:
        bin.remove(session, "project", other)
    assert sweep_all(db, NOW).blobs == 1, "only what nobody refers to; the bin still does"
    with db.begin() as session:
        assert bin.empty(session) == 0, "two weeks are not over"
        assert [p.name for p, _ in list_projects(session)] == ["Test"]
        bin.restore(session, "project", other)
        assert len(list_projects(session)) == 2
        bin.remove(session, "project", other)
        assert bin.empty(session, NOW) == 1
    swept = sweep_all(db, NOW)
    assert swept.blobs == 3, "two maps and a pack; the mesh and the even pack are the other project's, too"
    assert swept.bytes > 0
    assert counts(db) == once
    with db() as session:
        get_blob(session, session.get_one(Surface, kept.surface).source)


def test_what_lies_in_the_bin_cannot_be_opened_and_comes_back_with_its_project(db):
    sample = small_project(db)
    with db.begin() as session:
        bin.remove(session, "surface", sample.surface)
        bin.remove(session, "project", sample.project)
    with db.begin() as session:
        for wrong in (sample.surface, uuid4()):
            with pytest.raises(Missing):
                get_surface(session, wrong)
        with pytest.raises(Missing):
            bin.remove(session, "surface", sample.surface)
        listed = bin.removed(session)
        assert [(e.kind, e.name, e.home) for e in listed] == [
            ("project", "Test", "Test"),
            ("surface", "Plane", "Test"),
        ]
        assert all(e.gone_at - e.removed_at == bin.KEPT for e in listed)
        bin.restore(session, "surface", sample.surface)
    with db() as session:
        assert get_surface(session, sample.surface).name == "Plane"
        assert len(surfaces_of(session, sample.project)) == 1


@pytest.mark.parametrize("first", ["sweep", "upload"])
def test_a_sweep_and_an_upload_of_the_same_bytes_never_lose_them(db, first):
    """Bytes that nobody refers to any more are put again by an upload whose transaction is still open."""
    with db.begin() as session:
        sha = put_blob(session, b"the same mesh once more")
        session.execute(text("update blob set put_at = put_at - interval '2 hours'"))
    uploading, done = threading.Event(), threading.Event()
    problems: list[BaseException] = []

    def upload() -> None:
        try:
            with db.begin() as session:
                if first == "sweep":
                    assert uploading.wait(HANG)
                assert put_blob(session, b"the same mesh once more") == sha
                uploading.set()
                # Whoever swept first is waited for; whoever comes second waits here.
                time.sleep(0.4)
                project = create_project(session, "New")
                session.add(
                    Surface(project_id=project.id, name="New", file_name="n.glb", source=sha, facts={})
                )
        except BaseException as error:
            problems.append(error)
        finally:
            done.set()

    thread = threading.Thread(target=upload)
    thread.start()
    if first == "sweep":
        with db.begin() as session:
            session.execute(text("delete from blob where sha = :s"), {"s": sha})
            uploading.set()
            time.sleep(0.4)
    else:
        assert uploading.wait(HANG)
        sweep_all(db)
    thread.join()
    assert done.is_set() and problems == []
    with db() as session:
        assert get_blob(session, sha) == b"the same mesh once more"


def test_a_tile_that_is_about_to_be_referred_to_is_not_swept(db):
    values = np.arange(100, dtype=np.uint16)
    with db.begin() as session:
        writer = TileWriter(session)
        sha = writer.put(values)
        writer.flush()
    with db() as session:
        writer = TileWriter(session)
        writer.put(values)
        writer.flush()
        ended = threading.Event()

        def run() -> None:
            sweep_all(db, NOW)
            ended.set()

        thread = threading.Thread(target=run)
        thread.start()
        assert not ended.wait(0.4), "the sweep waits for the one who holds the tile"
        sample = small_project(db)
        session.execute(
            text("insert into channel_tile values (:c, 0, 'cover', 0, :s)"),
            {"c": sample.channel_set, "s": sha},
        )
        session.commit()
        thread.join()
    with db() as session:
        assert session.get(Tile, sha) is not None


def test_fresh_bytes_are_left_to_whoever_looks_at_them(db):
    with db.begin() as session:
        sha = put_blob(session, b"being looked at before it is taken")
    assert sweep_all(db).blobs == 0
    with db.begin() as session:
        assert again(session, sha) and not again(session, "0" * 64)
        session.execute(text("update blob set put_at = put_at - interval '2 hours'"))
    assert sweep_all(db).blobs == 1


def test_every_project_has_the_shelf_and_its_bytes_are_kept_once(db):
    with db.begin() as session:
        older = create_project(session, "Older").id
        stock(session, 0, "Clay", plain_maps((150, 140, 130), 128))
        stock(session, 1, "Sand", plain_maps((210, 190, 150), 90))
    blobs = counts(db)["blob"]
    with db.begin() as session:
        newer = create_project(session, "Newer").id
        taken = take_from_shelf(session, newer)
        assert list(taken) == ["Clay", "Sand"]
        assert take_from_shelf(session, newer) == taken
        take_everywhere(session)
        take_everywhere(session)
        for project in (older, newer):
            assert [m.document["name"] for m in materials_of(session, project)] == ["Clay", "Sand"]
    assert counts(db)["blob"] == blobs
    with db.begin() as session:
        session.execute(text("delete from project"))
    assert sweep_all(db, NOW).blobs == 0, "the shelf itself refers to them"


def test_a_name_of_the_artist_is_no_shelf_material(db):
    with db.begin() as session:
        project = create_project(session, "Own").id
        create_material(session, project, "Clay", plain_maps((1, 2, 3), 4))
        stock(session, 0, "Clay", plain_maps((150, 140, 130), 128))
        take_from_shelf(session, project)
        assert [m.document["name"] for m in materials_of(session, project)] == ["Clay", "Clay"]
        assert session.scalar(select(func.count()).select_from(Project)) == 1
