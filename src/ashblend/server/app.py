"""The application: routes, the painting socket, the built front end."""

import asyncio
import contextlib
import logging
import shutil
import tempfile
import time
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

from fastapi import FastAPI, HTTPException
from fastapi.routing import APIRoute
from pydantic.json_schema import models_json_schema
from sqlalchemy import Engine
from sqlalchemy.exc import SQLAlchemyError
from starlette.responses import FileResponse, Response
from starlette.staticfiles import StaticFiles

from ashblend.core.formats.heights.exr import FOLDERS
from ashblend.jobs.board import Board
from ashblend.server.failures import FAILURES, add_failures
from ashblend.server.guard import Guard
from ashblend.server.live import socket
from ashblend.server.live.messages import MESSAGES
from ashblend.server.live.rooms import Rooms
from ashblend.server.off_loop import off_loop_sessions
from ashblend.server.read_files import ReadFiles
from ashblend.server.routes import (
    bin,
    brushes,
    documents,
    export,
    fitting,
    groups,
    history,
    imports,
    ingredients,
    kept_recipes,
    lights,
    materials,
    plans,
    projects,
    recipes,
    sets,
    stencils,
    surfaces,
    surroundings,
    terrains,
)
from ashblend.server.settings import Settings
from ashblend.store.bin import empty
from ashblend.store.database import Sessions, connect, migrate
from ashblend.store.materials import bring_packs_up_to_date
from ashblend.store.shelf import take_everywhere
from ashblend.store.surfaces import bring_facts_up_to_date
from ashblend.store.sweep import sweep_all

log = logging.getLogger("ashblend")


# Seconds between two rounds of emptying the bin and sweeping.
CLEANED_EVERY = 3600.0


def _cleaned(kept: Sessions) -> None:
    with kept.begin() as session:
        gone = empty(session)
    swept = sweep_all(kept)
    if gone or swept.blobs:
        log.info("emptied the bin of %d, swept %d files of %d bytes", gone, swept.blobs, swept.bytes)


async def _clean(kept: Sessions) -> None:
    while True:
        # What cannot be done now is done at the next round.
        with contextlib.suppress(SQLAlchemyError):
            await asyncio.to_thread(_cleaned, kept)
        await asyncio.sleep(CLEANED_EVERY)


# Folders of files that a library reads by name only, left by a kill.
LEFT_FOR = 3600.0


def _sweep_folders() -> None:
    for folder in Path(tempfile.gettempdir()).glob(f"{FOLDERS}*"):
        with contextlib.suppress(OSError):
            if folder.is_dir() and time.time() - folder.stat().st_mtime > LEFT_FOR:
                shutil.rmtree(folder)


def _bring_up_to_date(engine: Engine, kept: Sessions) -> None:
    _sweep_folders()
    migrate(engine)
    with kept.begin() as session:
        bring_facts_up_to_date(session)
        bring_packs_up_to_date(session)
        take_everywhere(session)


@asynccontextmanager
async def _lifespan(app: FastAPI) -> AsyncIterator[None]:
    url = app.state.settings.database_url
    # Open surfaces have connections of their own: a stroke waits for no request.
    engine, live = connect(url), connect(url)
    app.state.sessions, kept = off_loop_sessions(engine), off_loop_sessions(live)
    await asyncio.to_thread(_bring_up_to_date, engine, app.state.sessions)
    app.state.rooms = Rooms(kept)
    app.state.board = await asyncio.to_thread(Board, kept)
    cleaning = asyncio.create_task(_clean(app.state.sessions))
    yield
    cleaning.cancel()
    app.state.board.close()
    await app.state.rooms.close()
    engine.dispose()
    live.dispose()


def _operation_name(route: APIRoute) -> str:
    return route.name


class _AshBlend(FastAPI):
    """Its OpenAPI also describes the socket's messages, which OpenAPI has no place for."""

    def openapi(self) -> dict[str, Any]:
        schema = super().openapi()
        _, definitions = models_json_schema(
            [(message, "serialization") for message in MESSAGES],
            ref_template="#/components/schemas/{model}",
        )
        for name, entry in definitions["$defs"].items():
            schema["components"]["schemas"].setdefault(name, entry)
        return schema


def create_app(settings: Settings) -> FastAPI:
    """The whole server. Migrates the database when it starts."""
    app = _AshBlend(
        title="Ash Blend",
        version="0.1.0",
        lifespan=_lifespan,
        generate_unique_id_function=_operation_name,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        responses=FAILURES,
    )
    app.state.settings = settings
    app.state.read_files = ReadFiles()
    app.state.database_trouble = lambda: None
    app.add_middleware(
        Guard,
        origins=settings.origins,
        file_bytes=settings.file_bytes,
        address=settings.address,
        token=settings.token,
    )
    add_failures(app)
    for part in (
        brushes,
        projects,
        recipes,
        ingredients,
        fitting,
        kept_recipes,
        materials,
        stencils,
        surfaces,
        imports,
        terrains,
        documents,
        plans,
        groups,
        sets,
        history,
        export,
        bin,
        surroundings,
        lights,
    ):
        app.include_router(part.router)
    app.include_router(socket.router)
    _add_pages(app, settings)
    return app


def from_environment() -> FastAPI:
    """The server as the environment describes it, for `uvicorn --factory`."""
    return create_app(Settings())


def _add_pages(app: FastAPI, settings: Settings) -> None:
    app.mount("/assets", StaticFiles(directory=settings.web / "assets", check_dir=False))

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> Response:
        """Every page is the one page; it looks at the address itself."""
        if path.startswith("api/"):
            raise HTTPException(404, "There is no such address.")
        index = settings.web / "index.html"
        if not index.is_file():
            raise HTTPException(503, "The front end is not built. Run ./ash serve, which builds it.")
        icon = settings.web / "icon.svg"
        if path == "icon.svg" and icon.is_file():
            return FileResponse(icon)
        return FileResponse(index, headers={"cache-control": "no-cache"})
