"""The loop that serves every window waits for no database, and so no request can hold up all others."""

import asyncio
import threading
from importlib import import_module
from pkgutil import iter_modules

from limits import HANG
from samples import small_project

from ashblend.server import routes as routes_of
from ashblend.server.routes.parts import DatabaseSession
from ashblend.store.snapshots import put_step_picture

PICTURE = b"\x89PNG" + bytes(60)


def test_no_route_on_the_loop_has_a_session():
    parts = [import_module(f"{routes_of.__name__}.{m.name}") for m in iter_modules(routes_of.__path__)]
    routes = [r for part in parts if hasattr(part, "router") for r in part.router.routes]
    on_loop = [route for route in routes if asyncio.iscoroutinefunction(route.endpoint)]
    assert len(on_loop) > 10 and len(routes) > len(on_loop), "both kinds are there"
    for route in on_loop:
        assert DatabaseSession not in route.endpoint.__annotations__.values(), route.path


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
