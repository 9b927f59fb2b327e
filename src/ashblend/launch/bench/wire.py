"""With a server and a database: what a pen waits for, and how the store grows."""

import json
import os
import shutil
import struct
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np

from ashblend.core.arrays import F32
from ashblend.core.brush.document import Brush, PointerSample
from ashblend.core.formats.errors import Limits
from ashblend.core.formats.glb_write import build_glb
from ashblend.core.formats.registry import read_mesh
from ashblend.core.sites.mesh import Mesh
from ashblend.launch.bench.ground import ROOT, SPACING, TOUCHED, ground, radius_for, spread, timed
from ashblend.launch.postgres import ensure_database, free_port, place_for_data, running_cluster


@contextmanager
def _server() -> Iterator[str]:
    """The server as an artist starts it, on data of its own."""
    data = place_for_data(ROOT / ".ash" / f"bench-postgres-{os.getpid()}")
    data.parent.mkdir(parents=True, exist_ok=True)
    command = [sys.executable, "-m", "ashblend.launch", "serve"]
    process = subprocess.Popen(
        [*command, "--port", str(free_port()), "--data", str(data)], stdout=subprocess.PIPE, text=True
    )
    try:
        assert process.stdout is not None
        line = next((text for text in process.stdout if "http://" in text), None)
        if line is None:
            raise RuntimeError("the server does not start")
        yield next(word for word in line.split() if word.startswith("http://"))
    finally:
        process.terminate()
        process.wait()
        shutil.rmtree(data, ignore_errors=True)
        for kind in ("password", "lock"):
            data.with_name(f"{data.name}.{kind}").unlink(missing_ok=True)


def _post(url: str, body: bytes, kind: str) -> Any:
    request = urllib.request.Request(url, body, {"content-type": kind})
    return json.loads(urllib.request.urlopen(request).read())


def _multipart(parts: list[tuple[str, str | None, bytes]]) -> tuple[bytes, str]:
    edge = "ash-blend-bench-edge"
    out = []
    for name, file_name, data in parts:
        file = f'; filename="{file_name}"' if file_name else ""
        head = f'--{edge}\r\ncontent-disposition: form-data; name="{name}"{file}\r\n\r\n'
        out += [head.encode(), data, b"\r\n"]
    return b"".join([*out, f"--{edge}--\r\n".encode()]), f"multipart/form-data; boundary={edge}"


class _Window:
    """A window on a surface over a real socket."""

    def __init__(self, address: str, surface: str) -> None:
        from websockets.sync.client import connect

        self.socket = connect(
            f"{address.replace('http', 'ws')}/api/surfaces/{surface}/live",
            max_size=None,
            compression=None,
        )
        self.until("ready")

    def until(self, kind: str) -> None:
        while True:
            message = self.socket.recv(timeout=60)
            if isinstance(message, str) and json.loads(message)["type"] == kind:
                return

    def frame(self) -> bytes:
        while True:
            message = self.socket.recv(timeout=60)
            if isinstance(message, bytes):
                return message

    def say(self, message: dict[str, Any]) -> None:
        self.socket.send(json.dumps(message))


def _sites_in(frame: bytes) -> int:
    """How many values of each channel a frame brings; see `server.live.frames`."""
    _, _, bits, _, tiles, _ = struct.unpack_from("<6I", frame)
    channels, at, count = bits.bit_count(), 24, 0
    for _ in range(tiles):
        word = struct.unpack_from("<2I", frame, at)[1]
        kind, here = word >> 24, word & 0xFFFFFF
        count += here
        held = channels if kind == 2 else here * (channels + (kind == 0))
        at += 8 + -(-2 * held // 4) * 4
    return count


# Where a pen goes in a bench: rows, and events in each.
ROWS, EVENTS = 4, 55


def _pen(window: _Window, channel_set: str, extent: float, radius: float, begins: float = 0.0) -> None:
    """Pen event to values, one at a time as a pen at rest between events would send them. begins: least x and z."""
    for reach in ("ball", "skin"):
        times, counts = [], []
        brush = {"radius": radius, "reach": reach, "spacing": 0.15, "falloff": "smooth"}
        on = {"channel_set": channel_set, "channel": 0}
        for row in range(ROWS):
            # The pen is lifted between rows: a jump in a stroke is sixty dabs and no event of a pen.
            window.say({"type": "begin", "stroke": "s", "on": on, "brush": brush})
            for column in range(EVENTS):
                # A spacing and a little, on fresh ground: each event brings at least one dab that changes something.
                first = begins + 0.1 * extent
                place = [first + 0.16 * radius * column, 0, first + 3 * radius * row]
                began = time.perf_counter()
                window.say(
                    {"type": "extend", "stroke": "s", "samples": [{"position": place, "normal": [0, 1, 0]}]}
                )
                frame = window.frame()
                times.append(time.perf_counter() - began)
                counts.append(_sites_in(frame))
            began = time.perf_counter()
            window.say({"type": "end", "stroke": "s"})
            window.until("saved")
            saved = time.perf_counter() - began
        print(
            f"  pen event to values, {reach}, {int(np.median(counts)):6,} sites a frame   {spread(times[20:])}"
            f"   pen-up to saved {saved * 1e3:.1f} ms",
            flush=True,
        )


def _large(window: _Window, channel_set: str, edge: float) -> None:
    """A stroke of 130 dabs of 100 000 cells each, drawn faster than it can be printed, from pen-up to saved."""
    radius = (100_000 / np.pi) ** 0.5
    on = {"channel_set": channel_set, "channel": 1}
    for reach in ("ball", "skin"):
        brush = {"radius": radius, "reach": reach, "spacing": 0.15, "falloff": "smooth"}
        window.say({"type": "begin", "stroke": "s", "on": on, "brush": brush})
        x = np.linspace(0, 130 * 0.15 * radius, 131) - 0.45 * edge
        samples = [{"position": [float(at), 0, 0.2 * edge], "normal": [0, 1, 0]} for at in x]
        window.say({"type": "extend", "stroke": "s", "samples": samples})
        window.say({"type": "end", "stroke": "s"})
        timed(f"130 dabs of 100 000 cells, {reach}, from pen-up to saved", lambda: window.until("saved"))


def _measures(window: _Window, channel_set: str) -> None:
    """A long measure's first rough look, and a ramp over a measure at hand, dragged as a page drags it."""
    on = {"channel_set": channel_set, "channel": 1}

    def recipe(source: dict[str, Any], high: float) -> dict[str, Any]:
        return {"terms": [{"source": source, "low": 0.0, "high": high}]}

    def rough(within: float) -> int:
        source = {"kind": "occlusion", "metres": within}
        window.say({"type": "measure", "on": on, "recipe": recipe(source, 1.0)})
        return len(window.frame())

    timed("occlusion asked for until it is seen roughly", lambda: rough(1.0))
    timed("  and until it is measured and kept", lambda: window.until("saved"))
    timed("once more, nothing being loaded any more, until it is seen", lambda: rough(0.5))
    window.until("saved")
    source = {"kind": "distance", "of": "a height", "way": "straight"}
    window.say({"type": "measure", "on": on, "recipe": recipe(source, 0.5)})
    window.until("saved")
    times = []
    for step in range(60):
        began = time.perf_counter()
        look = {"type": "look_undercoat", "on": on, "recipe": recipe(source, 0.3 + 0.005 * step)}
        window.say(look)
        window.frame()
        times.append(time.perf_counter() - began)
        window.until("previewed")
    print(f"  ramp dragged over a measure, to its frame in the window   {spread(times[10:])}", flush=True)


def over_the_wire(vertices: int) -> None:
    """Import, opening, and the way of a pen event, over HTTP and a socket on loopback."""
    mesh = ground(vertices)
    data = build_glb(mesh, [], "Ground")
    timed(f"read GLB, {vertices:,} vertices, {len(data) / 1e6:.0f} MB", lambda: read_mesh("g.glb", data))
    with _server() as address:
        project = _project(address)
        surface = timed(
            "import over HTTP",
            lambda: _taken(address, project, "meshes", "surfaces", ("ground.glb", data), "placing", "guess"),
        )

        def opening() -> str:
            view = json.loads(urllib.request.urlopen(f"{address}/api/surfaces/{surface}").read())
            urllib.request.urlopen(f"{address}/api/surfaces/{surface}/geometry").read()
            return str(view["channel_sets"][0]["id"])

        channel_set = timed("open: documents and geometry, surface not in memory", opening)
        window = timed("open: socket until every channel value is there", lambda: _Window(address, surface))
        # As the page does when it opens.
        urllib.request.urlopen(f"{address}/api/surfaces/{surface}/fitting").read()
        _pen(window, channel_set, round(vertices**0.5) * SPACING, radius_for(TOUCHED))
        _measures(window, channel_set)
        window.socket.close()


def terrain_over_the_wire(edge: int) -> None:
    """The same for a terrain of edge + 1 heights along an edge, with as many cells."""
    from ashblend.core.formats.heights.npy import NPY

    heights = NPY.write(level_hills(edge + 1))
    with _server() as address:
        project = _project(address)
        surface = timed(
            f"import {edge + 1}² heights over HTTP, {len(heights) / 1e6:.0f} MB",
            lambda: _taken(
                address, project, "heights", "terrains", ("ground.npy", heights), "taking", "first"
            ),
        )

        def first() -> str:
            view = json.loads(urllib.request.urlopen(f"{address}/api/surfaces/{surface}").read())
            urllib.request.urlopen(f"{address}/api/surfaces/{surface}/geometry").read()
            return str(view["channel_sets"][0]["id"])

        channel_set = timed("open: documents and the coarse ground, not in memory", first)
        timed(
            "open: all heights",
            lambda: urllib.request.urlopen(f"{address}/api/surfaces/{surface}/heights").read(),
        )
        window = timed("open: socket until every channel value is there", lambda: _Window(address, surface))
        # Counted once in the background, which takes both processors for as long.
        timed("open: what every channel covers", lambda: window.until("statistics"))
        _pen(window, channel_set, float(edge), 40.0, -edge / 2)
        _large(window, channel_set, float(edge))
        window.socket.close()


def level_hills(edge: int) -> F32:
    """(edge, edge) metres, low enough that a pen at 0 meets them."""
    line = np.arange(edge, dtype=np.float32)
    return np.sin(line / 90)[None] * np.cos(line / 70)[:, None]


def _project(address: str) -> str:
    """A project with one material."""
    from ashblend.core.formats.images import write_png

    grey = write_png(np.full((64, 64, 3), 120, np.uint8))
    project = _post(f"{address}/api/projects", b'{"name": "Bench"}', "application/json")["id"]
    body, kind = _multipart([("name", None, b"Grey"), ("roles", None, b"albedo"), ("files", "a.png", grey)])
    _post(f"{address}/api/projects/{project}/materials", body, kind)
    return str(project)


def _taken(
    address: str, project: str, look: str, take: str, file: tuple[str, bytes], how: str, guess: str
) -> str:
    """Look at a file, then take it as it is guessed; the surface's id."""
    body, kind = _multipart([("files", *file)])
    looked = _post(f"{address}/api/{look}", body, kind)
    wanted = {"file": looked["file"], "name": looked["name"], how: looked[guess]}
    answer = _post(
        f"{address}/api/projects/{project}/{take}", json.dumps(wanted).encode(), "application/json"
    )
    return str(answer["id"])


def growth(vertices: int, strokes: int) -> None:
    """What many strokes make of the database, checkpoints and all."""
    from sqlalchemy import text

    from ashblend.core.surface.address import ChannelAddress, Protection
    from ashblend.session.strokes import Strokes
    from ashblend.session.surface import OpenSurface
    from ashblend.store.database import connect, migrate, sessions

    mesh = ground(vertices)
    data = place_for_data(ROOT / ".ash" / f"bench-growth-{os.getpid()}")
    data.parent.mkdir(parents=True, exist_ok=True)
    try:
        with running_cluster(data) as cluster:
            engine = connect(ensure_database(cluster, "growth"))
            migrate(engine)
            made = sessions(engine)
            surface = OpenSurface(made, _painted_surface(made, mesh))
            painting = Strokes(surface)

            def size() -> int:
                with made() as session:
                    return int(session.scalar(text("select pg_database_size('growth')")))

            before, chance, me = size(), np.random.default_rng(1), object()
            extent = float(mesh.positions[:, 0].max())
            first = next(iter(surface.sets))
            began = time.perf_counter()
            halfway = before
            for stroke in range(strokes):
                if stroke == strokes // 2:
                    halfway = size()
                a, d = chance.uniform(0.1, 0.9, 2) * extent, chance.normal(0, 0.1, 2)
                on = ChannelAddress(channel_set=first, channel=int(chance.integers(4)))
                brush = Brush(radius=0.15, target=float(chance.uniform()), strength=0.8)
                painting.begin(me, "s", on, brush, Protection())
                for t in (0, 0.5, 1):
                    p = a + t * d
                    sample = PointerSample(position=(float(p[0]), 0, float(p[1])), normal=(0, 1, 0))
                    painting.extend(me, "s", [sample])
                painting.end(me, "s")
            each = (time.perf_counter() - began) / strokes
            first_half, second_half = (halfway - before) / 1e6, (size() - halfway) / 1e6
            print(
                f"  {strokes:,} strokes on {vertices:,} vertices: the database grew by {first_half:.0f} MB in the "
                f"first half, {second_half:.0f} MB in the second; {each * 1e3:.1f} ms a stroke",
                flush=True,
            )
            timed("open it again", lambda: OpenSurface(made, surface.ident))
            engine.dispose()
    finally:
        shutil.rmtree(data, ignore_errors=True)
        data.with_name(f"{data.name}.password").unlink(missing_ok=True)


def _painted_surface(made: Any, mesh: Mesh) -> Any:
    """A project with a surface of a mesh; the surface's id."""
    from ashblend.core.formats.images import write_png
    from ashblend.server.routes.imports import NewSurface, import_surface
    from ashblend.store.blobs import put_blob
    from ashblend.store.materials import create_material
    from ashblend.store.projects import create_project

    with made.begin() as session:
        project = create_project(session, "Bench").id
        create_material(session, project, "Grey", {"albedo": write_png(np.full((64, 64, 3), 120, np.uint8))})
        sha = put_blob(session, build_glb(mesh, [], "Ground"))
        return import_surface(session, project, NewSurface(file=sha, name="ground.glb"), Limits()).id
