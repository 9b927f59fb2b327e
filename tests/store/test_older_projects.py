"""What an older version stored opens with the same values, history and look.

tests/data/project_of_0002.sql.zst is a small project that the version before migration 0003 wrote: strokes on
vertices, on a map and on a level, fills, a refinement, hard borders, an undo; the JSON beside it is what that
version said about it, at its head and after each further undo.
"""

import hashlib
import json
from dataclasses import replace
from pathlib import Path
from uuid import UUID

import numpy as np
import psycopg
import pytest
import zstandard
from databases import empty_database
from sqlalchemy import select

from ashblend.server.live import probe
from ashblend.server.live.messages import Probe
from ashblend.session import history
from ashblend.session.surface import OpenSurface, facts_of
from ashblend.store.database import connect, migrate, sessions
from ashblend.store.materials import bring_packs_up_to_date
from ashblend.store.models import Material

DATA = Path(__file__).parents[1] / "data"
SAID = json.loads((DATA / "project_of_0002.json").read_text())


def sha(values: np.ndarray) -> str:
    return hashlib.sha256(np.ascontiguousarray(values).tobytes()).hexdigest()


def values_of(found, document: dict) -> np.ndarray:
    """uint16 (sites, channels) over a document's undercoats; maps row by row, with four.

    That version took undercoats back with the mesh; now they are decisions of their own, and stay.
    """
    channels = found.channels
    if not getattr(found.kind, "follows", None):
        weights = [c["undercoat"]["value"] for c in document["channels"]]
        channels = [replace(c, undercoat=float(w)) for c, w in zip(channels, weights, strict=True)]
    size = found.kind.size if found.kind.kind == "texels" else 0
    values = np.stack([c.values() for c in channels], axis=1).astype(np.uint16)
    if not size:
        return values
    out = np.zeros((values.shape[0], 4), np.uint16)
    own = np.flatnonzero(found.sites.owner).astype(np.uint32)
    out[found.sites.row_by_row(own), : values.shape[1]] = values[own]
    return out


@pytest.fixture(scope="module")
def surface(cluster):
    database = empty_database(cluster)
    text = zstandard.ZstdDecompressor().stream_reader((DATA / "project_of_0002.sql.zst").open("rb")).read()
    # Lines for psql itself are none for the server.
    lines = [line for line in text.decode().splitlines() if not line.startswith("\\")]
    with psycopg.connect(database.replace("postgresql+psycopg", "postgresql")) as connection:
        connection.execute("\n".join(lines))
    engine = connect(database)
    migrate(engine)
    # As the server does when it starts.
    with sessions(engine).begin() as session:
        assert bring_packs_up_to_date(session) > 0
        assert bring_packs_up_to_date(session) == 0
        assert all(row.document["slope"] >= 0 for row in session.scalars(select(Material)))
    opened = OpenSurface(sessions(engine), UUID(SAID["surface"]))
    yield opened
    engine.dispose()


def same_as(surface: OpenSurface, said: dict) -> None:
    state = surface.history()
    assert (state.undo, state.steps) == (said["history"]["undo"], said["history"]["steps"])
    mesh = surface.shape.mesh
    assert sha(mesh.triangles) == said["triangles"]
    assert facts_of(surface.shape)["groups"] == said["groups"]
    assert {str(k) for k in surface.sets} == set(said["sets"])
    for ident, expected in said["sets"].items():
        found = surface.sets[UUID(ident)]
        values = values_of(found, expected["document"])
        assert list(values.shape) == expected["shape"], (said["label"], found.document.name)
        if sha(values) == expected["sha"]:
            continue
        # What is carried to a level was worked out in floating point then, and lies in 16 bits now.
        assert getattr(found.kind, "follows", None), found.document.name
        off = np.abs(values.sum(axis=0, dtype=np.int64) - np.array(expected["sum"])).max()
        assert off <= values.shape[0], (said["label"], off)


def test_the_head_is_as_it_was_left(surface):
    same_as(surface, SAID["head"])
    for ident, expected in SAID["head"]["sets"].items():
        found = surface.sets[UUID(ident)].document
        assert found.name == expected["document"]["name"]
        assert [c.name for c in found.channels] == [c["name"] for c in expected["document"]["channels"]]
        assert [c.locked for c in found.channels] == [c["locked"] for c in expected["document"]["channels"]]
        assert values_of(found := surface.sets[UUID(ident)], expected["document"]).any(), found.document.name


def test_it_looks_as_it_did(surface):
    asked = SAID["probes"]
    assert len(asked) > 20
    for entry in asked:
        answer = probe.core_sample(
            surface,
            Probe(
                number=0,
                channel_set=UUID(SAID["first"]),
                triangle=entry["triangle"],
                barycentric=tuple(entry["barycentric"]),
                radius=0.2,
                reach="skin",
                facing_limit=90,
            ),
        )
        expected = entry["answer"]
        assert answer.height == pytest.approx(expected["height"], abs=1e-5)
        assert answer.slope == pytest.approx(expected["slope"], abs=1e-3)
        for ident, values in expected["values"].items():
            if ident == SAID["first"]:
                assert answer.values[UUID(ident)] == pytest.approx(values, abs=1e-5)


def test_every_older_step_is_undone_and_redone_as_it_was(surface):
    steps = SAID["walked_back"]
    for said in steps[1:]:
        history.step(surface, "undo")
        same_as(surface, said)
    for said in reversed(steps[:-1]):
        history.step(surface, "redo")
        same_as(surface, said)
