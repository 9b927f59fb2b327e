"""The commands behind ./ash. The shell script has installed everything by the time this runs."""

import argparse
import gc
import os
import signal
import socket
import sys
import threading
import time
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ashblend.launch.owner import Owner, Taken, owned
from ashblend.launch.postgres import (
    Cluster,
    NoPostgres,
    ensure_database,
    place_for_data,
    running_cluster,
)
from ashblend.launch.token import kept_token
from ashblend.launch.watch import Watch, watched

ROOT = Path(__file__).parents[3]
LOOPBACK = "127.0.0.1"
PREFERRED_PORT = 8321
# Seconds after the start at which kernels are made ready.
WARMED_AFTER = 1.5
STOPS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)


@dataclass(frozen=True)
class Place:
    """Where the server is reached. host, token: empty on loopback."""

    host: str
    port: int
    token: str

    @property
    def address(self) -> str:
        return f"[{self.host}]:{self.port}" if ":" in self.host else f"{self.host or LOOPBACK}:{self.port}"

    @property
    def page(self) -> str:
        return f"http://{self.address}" + (f"/?token={self.token}" if self.token else "")


def _host(wanted: str | None) -> str:
    """The address that others reach it by; empty for loopback. Raises Taken for one that is not this machine's."""
    if wanted is None or wanted in ("localhost", "::1") or wanted.startswith("127."):
        return ""
    name = wanted.strip("[]").lower()
    if name in ("0.0.0.0", "::", ""):
        raise Taken(
            "Name the one address that others reach this machine by, for example --host 192.168.1.20."
        )
    try:
        family, *_, place = socket.getaddrinfo(name, 0, type=socket.SOCK_STREAM)[0]
        with socket.socket(family) as probe:
            probe.bind(place)
    except (OSError, UnicodeError) as error:
        raise Taken(f"{wanted} is no address of this machine. `ip address` lists those it has.") from error
    return name


def _listening(wanted: int | None, host: str) -> socket.socket:
    """A socket on the wanted port, else on the preferred one, else on any that is free. Raises Taken.

    It listens from now on, and who comes early waits: a port that is only looked at may be another's by the time that
    the server is ready (two that were started at once both took the preferred one).
    """
    for port in (wanted,) if wanted is not None else (PREFERRED_PORT, 0):
        family, *_, place = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)[0]
        made = socket.socket(family)
        # A connection that has just ended does not count as taking the port.
        made.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            made.bind(place)
            made.listen()
        except OSError:
            made.close()
        else:
            return made
    raise Taken(f"Port {wanted or PREFERRED_PORT} is taken. Choose another with --port.")


def _serve(arguments: argparse.Namespace, *, sample: bool) -> None:
    began = time.monotonic()
    # Two threads may call compiled kernels at once; numba's default layer would abort.
    os.environ.setdefault("NUMBA_THREADING_LAYER", "omp")
    wanted = Path(arguments.data).resolve()
    data = place_for_data(wanted)
    if data != wanted:
        print(f"PostgreSQL's user cannot enter {wanted.parent}; the data is in {data}.", flush=True)
    host = _host(arguments.host)
    with (
        _listening(arguments.port, host or LOOPBACK) as listening,
        owned(data) as owner,
        running_cluster(data) as server,
    ):
        url = ensure_database(server, "ashblend")
        _build(url, sample=sample)
        port = listening.getsockname()[1]
        with watched(Cluster(data), server) as watch:
            place = Place(host, port, kept_token(data) if host else "")
            _run(url, place, listening, began, owner, watch)
            _ignore_stops()


def _end(number: int, _: object) -> None:
    """Leave by the way that stops the database. Once is enough: a second signal must not cut that short."""
    _ignore_stops()
    raise SystemExit(0)


def _ignore_stops() -> None:
    for kind in STOPS:
        signal.signal(kind, signal.SIG_IGN)


def _hear_stops() -> None:
    """The server ends its work on SIGINT and SIGTERM and hands them on; a lost terminal asks for the same."""
    for kind in (signal.SIGINT, signal.SIGTERM):
        signal.signal(kind, _end)
    signal.signal(signal.SIGHUP, lambda *_: os.kill(os.getpid(), signal.SIGTERM))


def _build(url: str, *, sample: bool) -> None:
    """The tables, the shelf and, where wanted, the sample project."""
    from ashblend.demo.shelf import stock_shelf
    from ashblend.demo.skerry_station import build_skerry_station
    from ashblend.store.database import connect, migrate, sessions

    engine = connect(url)
    migrate(engine)
    with sessions(engine).begin() as session:
        if stock_shelf(session):
            print("Made the starting materials.", flush=True)
        if sample and build_skerry_station(session) is not None:
            print("Built the sample project Skerry Station.", flush=True)
    engine.dispose()


def _run(url: str, place: Place, listening: socket.socket, began: float, owner: Owner, watch: Watch) -> None:
    import uvicorn

    from ashblend.server.app import create_app
    from ashblend.server.patience import PatientHTTP, PatientSocket
    from ashblend.server.settings import Settings

    class Announcing(uvicorn.Server):
        async def startup(self, sockets: list[Any] | None = None) -> None:
            await super().startup(sockets)
            if self.started:
                seconds = time.monotonic() - began
                owner.tell(f"http://{place.address}")
                print(
                    f"Ash Blend is at {place.page}  (started in {seconds:.1f} s; Ctrl-C stops it)", flush=True
                )
                # Behind the start and the page's own loading, which it would slow down.
                later = threading.Timer(WARMED_AFTER, _warm)
                later.daemon = True
                later.start()

    settings = Settings(database_url=url, address=place.address if place.token else "", token=place.token)
    app = create_app(settings)
    app.state.database_trouble = lambda: watch.trouble
    # What stands now stands to the end. To look through it all when a surface is closed held every stroke for a tenth of a
    # second and more.
    gc.collect()
    gc.freeze()
    config = uvicorn.Config(
        app,
        log_level="warning",
        http=PatientHTTP,
        ws=PatientSocket,
        ws_per_message_deflate=False,
        timeout_graceful_shutdown=5,
    )
    Announcing(config).run([listening])


def _warm() -> None:
    from ashblend.launch.warming import warm

    warm()


def _bench(arguments: argparse.Namespace) -> None:
    from ashblend.launch.bench import bench

    bench(arguments.vertices)


def main(arguments: Sequence[str] | None = None) -> int:
    parser = argparse.ArgumentParser(prog="ash")
    commands = parser.add_subparsers(dest="command", required=True)
    for name, about in (("demo", "serve with the sample project"), ("serve", "serve without sample data")):
        command = commands.add_parser(name, help=about)
        command.add_argument("--port", type=int, help=f"default {PREFERRED_PORT}, or any that is free")
        command.add_argument(
            "--host",
            metavar="ADDRESS",
            help="be reached by others at this address, with a token; default loopback",
        )
        command.add_argument("--data", default=str(ROOT / ".ash" / "postgres"), help="folder of the database")
    command = commands.add_parser("bench", help="measure what is promised to be fast")
    command.add_argument("--vertices", type=int, default=1_000_000)
    parsed = parser.parse_args(arguments)
    _hear_stops()
    try:
        if parsed.command == "bench":
            _bench(parsed)
        else:
            _serve(parsed, sample=parsed.command == "demo")
    except (NoPostgres, Taken) as error:
        print(error, file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 0
    return 0
