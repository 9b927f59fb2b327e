"""The loop that serves every window waits for no database, and so no request can hold up all others."""

import asyncio
import io
import threading
import time
from importlib import import_module
from pkgutil import iter_modules

import numpy as np
import pytest
from limits import HANG
from samples import plain_maps, small_project
from server.sockets import window
from shapes import plane
from sqlalchemy import text

from ashblend.core.formats import budget
from ashblend.core.formats.glb_write import build_glb
from ashblend.core.formats.heights.npy import NPY
from ashblend.server import routes as routes_of
from ashblend.server.off_loop import OffLoopSession, OnTheLoop, off_loop_sessions
from ashblend.server.routes.parts import DatabaseSession
from ashblend.store.database import connect
from ashblend.store.snapshots import put_step_picture

PICTURE = b"\x89PNG" + bytes(60)


def test_no_route_on_the_loop_has_a_session():
    parts = [import_module(f"{routes_of.__name__}.{m.name}") for m in iter_modules(routes_of.__path__)]
    routes = [r for part in parts if hasattr(part, "router") for r in part.router.routes]
    on_loop = [route for route in routes if asyncio.iscoroutinefunction(route.endpoint)]
    assert len(on_loop) > 10 and len(routes) > len(on_loop), "both kinds are there"
    for route in on_loop:
        assert DatabaseSession not in route.endpoint.__annotations__.values(), route.path


def test_no_session_can_be_made_on_the_loop(database, client):
    """So whatever a route or a message does there, every test that walks through it would see it fail."""
    kept = off_loop_sessions(connect(database))
    with kept() as session:
        assert session.scalar(text("select 1")) == 1

    async def ask() -> None:
        kept()

    async def ask_with_a_transaction() -> None:
        with kept.begin():
            pass

    for asked in (ask, ask_with_a_transaction):
        problem = []

        def run(asked=asked, problem=problem) -> None:
            with pytest.raises(OnTheLoop):
                asyncio.run(asked())
            problem.append("refused")

        thread = threading.Thread(target=run)
        thread.start()
        thread.join()
        assert problem == ["refused"]
    # What the server has, for requests, open surfaces and jobs.
    app = client.app
    for sessions in (app.state.sessions, app.state.rooms._sessions, app.state.board._sessions):
        assert issubclass(sessions.class_, OffLoopSession)


def test_a_request_that_waits_for_a_row_holds_up_nobody(client, db):
    """Two windows that kept the same step's picture at once froze the whole server for good."""
    sample = small_project(db)
    url = f"/api/surfaces/{sample.surface}/steps/1/picture"
    answers: list[int] = []
    waiting = threading.Thread(target=lambda: answers.append(client.put(url, content=PICTURE).status_code))
    with db() as session:
        put_step_picture(session, sample.surface, 1, PICTURE)
        session.flush()
        waiting.start()
        waiting.join(0.5)
        assert waiting.is_alive(), "it waits for the row"
        asked = threading.Thread(target=lambda: answers.append(client.get("/api/projects").status_code))
        asked.start()
        asked.join(HANG)
        assert answers == [200], "another request is answered meanwhile"
        session.commit()
    waiting.join(HANG)
    assert answers == [200, 204]


def test_while_the_table_of_jobs_is_held_others_join_and_paint(client, db):
    """One window asks for a measure and waits for the table; whoever joins, and paints, waits for nobody."""
    sample = small_project(db)
    recipe = {"terms": [{"source": {"kind": "occlusion", "metres": 1.0}, "low": 1, "high": 0}]}
    on = {"channel_set": str(sample.channel_set), "channel": 1}
    with db() as session, window(client, sample) as asking:
        session.execute(text("lock table job in access exclusive mode"))
        asking.say({"type": "measure", "on": on, "recipe": recipe})
        with window(client, sample) as painting:
            for x in (0.5, 1.0, 1.5):
                painting.stroke(sample, [(x, 1.0)])
        assert not [told for told in asking.heard if told["type"] in ("begun", "refused")], "it waits"
        session.rollback()
        assert asking.until("begun")
        while asking.until("saved")["label"] != "Undercoat of Channel G":
            pass


@pytest.fixture
def decoders_see(client, monkeypatch):
    """What every decoder of a request sees when it begins and ends: connections that are taken from requests' pool."""
    taken: list[int] = []
    pool = client.app.state.sessions.kw["bind"].pool
    request = client.request

    def alone(*given, **named):
        # The bin is emptied at the start by a connection of this pool, and one of a request that is answered may go
        # back a moment later.
        while pool.checkedout():
            time.sleep(0.01)
        return request(*given, **named)

    monkeypatch.setattr(client, "request", alone)

    def look() -> None:
        # The test's own samples are made in this thread.
        if threading.current_thread() is not threading.main_thread():
            taken.append(pool.checkedout())

    class Watched:
        def __enter__(self):
            look()

        def __exit__(self, *_):
            look()

    monkeypatch.setattr(budget, "_DECODING", Watched())
    return taken


def test_nothing_is_decoded_while_a_connection_is_held(client, db, decoders_see):
    """24 height maps at once once took all connections for 26 s."""
    sample = small_project(db)
    project = f"/api/projects/{sample.project}"
    hills = NPY.write(np.add.outer(np.arange(9.0), np.arange(9.0)).astype(np.float32))
    looked = client.post("/api/heights", files={"files": ("a.npy", io.BytesIO(hills))}).json()
    client.get(f"/api/heights/{looked['file']}", params={"name": "a.npy"}).raise_for_status()
    query = {"name": "a.npy", "taking": "{}"}
    client.get(f"/api/heights/{looked['file']}/preview", params=query).raise_for_status()
    body = {"file": looked["file"], "name": "a.npy", "taking": {}}
    client.post(f"{project}/terrains", json=body).raise_for_status()
    mesh = build_glb(plane(5, 1.0), [], "A")
    found = client.post("/api/meshes", files={"files": ("a.glb", io.BytesIO(mesh))}).json()
    body = {"file": found["file"], "name": "a.glb", "placing": found["guess"]}
    client.post(f"{project}/surfaces", json=body).raise_for_status()
    maps = plain_maps((9, 9, 9), 9)
    files = [("files", (f"{role}.png", io.BytesIO(data))) for role, data in maps.items()]
    form = {"name": "Own", "roles": list(maps)}
    client.post(f"{project}/materials", data=form, files=files).raise_for_status()
    assert len(decoders_see) >= 14 and not any(decoders_see), decoders_see


def test_open_surfaces_have_connections_of_their_own(client, db):
    """Requests that hold every connection there is hold up no stroke."""
    sample = small_project(db)
    pool = client.app.state.sessions.kw["bind"].pool
    assert client.app.state.rooms._sessions.kw["bind"].pool is not pool
    with window(client, sample) as talk:
        held = [pool.connect() for _ in range(16)]
        try:
            talk.stroke(sample, [(0.5, 0.5)])
            assert talk.values.any()
        finally:
            for connection in held:
                connection.close()
