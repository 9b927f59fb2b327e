"""Measures what is promised to be fast, all in one run on this machine, and prints it.

The mesh is a square of rippled ground, two triangles a vertex, 1 cm between vertices.
Times are wall times; the median and the 95th percentile of many repetitions after a warm-up.
"""

import gc
import json
import os
import shutil
import struct
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, Literal

import numpy as np

from ashblend.core.arrays import F32
from ashblend.core.brush import Brush, PointerSample, Stroke
from ashblend.core.brush.document import ActName
from ashblend.core.brush.fills import HeightFill
from ashblend.core.channels import channel_of_values, empty_channel
from ashblend.core.channels.moved import moved_channel
from ashblend.core.formats import Limits, build_glb, read_mesh
from ashblend.core.prepare.carry import carry_over
from ashblend.core.prepare.refine import refine_levels, refine_to_mask, refine_to_spacing
from ashblend.core.sites import Group, Mesh, Sites, UVTexels, mesh_vertices
from ashblend.launch.postgres import ensure_database, free_port, place_for_data, running_cluster

ROOT = Path(__file__).parents[3]
SPACING = 0.01
TOUCHED = 5000


def ground(vertices: int) -> Mesh:
    """Rippled ground with about so many vertices."""
    side = round(vertices**0.5)
    x = np.arange(side, dtype=np.float32) * np.float32(SPACING)
    zz, xx = np.meshgrid(x, x, indexing="ij")
    yy = 0.02 * np.sin(9 * xx) * np.cos(7 * zz)
    positions = np.stack([xx, yy, zz], axis=-1).reshape(-1, 3).astype(np.float32)
    i = np.arange(side * side).reshape(side, side)
    a, b, c, d = i[:-1, :-1], i[:-1, 1:], i[1:, :-1], i[1:, 1:]
    triangles = (
        np.stack([np.stack([a, c, b], -1), np.stack([b, c, d], -1)], 2).reshape(-1, 3).astype(np.uint32)
    )
    uv = (positions[:, [0, 2]] / (side * SPACING)).astype(np.float32)
    return Mesh(positions, triangles, uvs=(uv,), groups=(Group("ground", 0, len(triangles)),))


def _spread(times: list[float]) -> str:
    ms = np.array(times) * 1e3
    return f"median {np.median(ms):8.2f} ms   p95 {np.percentile(ms, 95):8.2f} ms"


def _radius_for(touched: int) -> float:
    return float((touched / np.pi) ** 0.5 * SPACING)


REACHES: tuple[Literal["ball", "skin"], ...] = ("ball", "skin")


def _stroke(sites: Sites, brush: Brush, start: F32 | None, extent: float, dabs: int) -> str:
    """Dabs along a straight stroke on the ripples: how many sites each reached, and how long it took."""
    channel = empty_channel(sites.layout.extent) if start is None else channel_of_values(start)
    stroke = Stroke(sites, channel, 0, brush)
    times, touched = [], []
    for repetition in range(dabs):
        x, z = 0.2 * extent + 1.0001 * brush.spacing * brush.radius * repetition, 0.5 * extent
        sample = PointerSample(position=(x, 0.02 * np.sin(9 * x) * np.cos(7 * z), z), normal=(0, 1, 0))
        began = time.perf_counter()
        touched.append(stroke.extend([sample]).size)
        times.append(time.perf_counter() - began)
    stroke.abandon()
    return f"{int(np.median(touched)):6,} of {sites.count:10,} sites   {_spread(times[dabs // 5 :])}"


def dabs(vertices: int, reached: int) -> None:
    """One dab after another along a stroke, each reaching about so many sites."""
    sites = mesh_vertices(ground(vertices))
    extent = float(sites.positions[:, 0].max())
    for reach in REACHES:
        # Many coats with a flat falloff: every dab changes every site that it reaches.
        brush = Brush(
            radius=_radius_for(reached), falloff="flat", coat="many", flow=0.01, strength=1, reach=reach
        )
        print(f"  one dab, {reach}, {_stroke(sites, brush, None, extent, 30)}", flush=True)


def acts(vertices: int, reached: int) -> None:
    """Dabs of the acts that look around them, on fresh ground each."""
    sites = mesh_vertices(ground(vertices))
    extent = float(sites.positions[:, 0].max())
    start = (0.5 + 0.5 * np.sin(40 * sites.positions[:, 0])).astype(np.float32)
    names: tuple[ActName, ...] = ("paint", "smooth", "sharpen", "smear")
    for act in names:
        brush = Brush(
            act=act, radius=_radius_for(reached), falloff="flat", coat="many", flow=0.05, strength=1
        )
        print(f"  {act:8s} by skin, {_stroke(sites, brush, start, extent, 20)}", flush=True)


def _resident() -> int:
    """Bytes of memory that this process has now."""
    for line in Path("/proc/self/status").read_text().splitlines():
        if line.startswith("VmRSS"):
            return int(line.split()[1]) * 1024
    return 0


def on_texels(size: int) -> None:
    """A stroke on a map of size² texels."""
    mesh = ground(10_000)
    sites = mesh_vertices(mesh)
    gc.collect()
    before = _resident()
    texels = _timed(f"make {size}² texels of a map", lambda: UVTexels(mesh, sites.normals, size))
    _timed("and its seams, gutter and index, once", lambda: (texels.links, texels.gutter, texels.tree))
    extent = float(mesh.positions[:, 0].max())
    radius = (TOUCHED / np.pi) ** 0.5 * extent / size
    for reach in REACHES:
        brush = Brush(radius=radius, coat="many", flow=0.05, strength=1, falloff="flat", reach=reach)
        print(f"  one dab, {reach}, {_stroke(texels, brush, None, extent, 40)}", flush=True)
    gc.collect()
    own = (_resident() - before) / texels.count
    channels = [empty_channel(texels.layout.extent) for _ in range(4)]
    for channel in channels:
        channel.cover += 1
        channel.paint += 1
    full = (_resident() - before) / texels.count
    print(f"    {own:.1f} bytes a site; {full:.1f} with four channels painted everywhere", flush=True)


def meshes(vertices: int) -> None:
    """Refining and carrying over."""
    mesh = ground(125_000)
    triangles = mesh.triangles.shape[0]
    _timed(f"refine {triangles:,} triangles by a level", lambda: refine_levels(mesh, 1, 10**7))
    _timed(
        f"refine {triangles:,} triangles to two thirds of their spacing",
        lambda: refine_to_spacing(mesh, SPACING * 0.95, 10**7),
    )
    large = ground(vertices)
    sites = mesh_vertices(large)
    moved = large.positions + np.array([0.0031, 0.0004, 0.0017], np.float32)
    carried = _timed(
        f"find where {vertices:,} vertices lie on as many old ones",
        lambda: carry_over(large, moved, sites.normals),
    )
    channels = [channel_of_values(np.zeros(large.vertex_count, np.float32)) for _ in range(4)]
    _timed(
        "and move four channels there",
        lambda: [moved_channel(carried.lineage, channel) for channel in channels],
    )


def to_a_mask() -> None:
    """The slipway refined to a narrow border, against refining everywhere."""
    from ashblend.demo.slipway import slipway

    mesh = slipway()
    band = HeightFill(low=-5, high=0.1, soft=0.02, rough=0.5, rough_metres=1.2)
    found = _timed(
        f"refine the slipway, {mesh.vertex_count:,} vertices, to a rough tide line 2 cm wide",
        lambda: refine_to_mask(mesh, lambda places: band.at(places.positions), 0.2, 0.005, 10**7),
    )
    after = found.refined.mesh.vertex_count
    more = "" if found.uniform_levels is not None else "more than "
    print(
        f"    {after:,} vertices, largest error {found.worst:.3f}; everywhere it would take {more}"
        f"{found.uniform_vertices:,}: {found.uniform_vertices / after:.1f} times as many",
        flush=True,
    )


@contextmanager
def _server() -> Iterator[str]:
    data = place_for_data(ROOT / ".ash" / f"bench-postgres-{os.getpid()}")
    data.parent.mkdir(parents=True, exist_ok=True)
    try:
        with running_cluster(data) as cluster:
            port = free_port()
            process = subprocess.Popen(
                [
                    sys.executable, "-m", "uvicorn", "ashblend.server.app:from_environment", "--factory",
                    "--port", str(port), "--log-level", "warning", "--ws", "websockets-sansio",
                    "--ws-per-message-deflate", "false",
                ],
                env={**os.environ, "ASH_DATABASE_URL": ensure_database(cluster, "bench")},
            )  # fmt: skip
            try:
                address = f"http://127.0.0.1:{port}"
                _wait_for(address)
                yield address
            finally:
                process.terminate()
                process.wait()
    finally:
        shutil.rmtree(data, ignore_errors=True)
        data.with_name(f"{data.name}.password").unlink(missing_ok=True)


def _wait_for(address: str) -> None:
    for _ in range(300):
        try:
            urllib.request.urlopen(f"{address}/api/projects").read()
            return
        except urllib.error.URLError:
            time.sleep(0.1)
    raise RuntimeError("the server does not answer")


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


def _timed(label: str, act: Callable[[], Any]) -> Any:
    began = time.perf_counter()
    result = act()
    print(f"  {label:58s} {time.perf_counter() - began:8.2f} s", flush=True)
    return result


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


def _pen(window: _Window, channel_set: str, extent: float, touched: int) -> None:
    """Pen event to values, one at a time as a pen at rest between events would send them."""
    radius = _radius_for(touched)
    for reach in ("ball", "skin"):
        times, counts = [], []
        brush = {"radius": radius, "reach": reach, "spacing": 0.15, "falloff": "smooth"}
        on = {"channel_set": channel_set, "channel": 0}
        window.say({"type": "begin", "stroke": "s", "on": on, "brush": brush})
        for step in range(220):
            # A spacing and a little, on fresh ground: each event brings at least one dab that changes something.
            row, column = divmod(step, 60)
            place = [0.1 * extent + 0.16 * radius * column, 0, 0.1 * extent + 3 * radius * row]
            sample = {"position": place, "normal": [0, 1, 0]}
            began = time.perf_counter()
            window.say({"type": "extend", "stroke": "s", "samples": [sample]})
            while True:
                frame = window.socket.recv(timeout=20)
                if isinstance(frame, bytes):
                    break
            times.append(time.perf_counter() - began)
            counts.append(_sites_in(frame))
        began = time.perf_counter()
        window.say({"type": "end", "stroke": "s"})
        window.until("saved")
        saved = time.perf_counter() - began
        print(
            f"  pen event to values, {reach}, {int(np.median(counts)):6,} sites a frame   {_spread(times[20:])}"
            f"   pen-up to saved {saved * 1e3:.1f} ms",
            flush=True,
        )


def over_the_wire(vertices: int) -> None:
    """Import, opening, and the way of a pen event, over HTTP and a socket on loopback."""
    mesh = ground(vertices)
    data = build_glb(mesh, [], "Ground")
    _timed(f"read GLB, {vertices:,} vertices, {len(data) / 1e6:.0f} MB", lambda: read_mesh("g.glb", data))
    from ashblend.core.formats.images import write_png

    grey = write_png(np.full((64, 64, 3), 120, np.uint8))
    with _server() as address:
        project = _post(f"{address}/api/projects", b'{"name": "Bench"}', "application/json")["id"]
        body, kind = _multipart(
            [("name", None, b"Grey"), ("roles", None, b"albedo"), ("files", "a.png", grey)]
        )
        _post(f"{address}/api/projects/{project}/materials", body, kind)
        body, kind = _multipart([("file", "ground.glb", data)])
        surface = _timed(
            "import over HTTP", lambda: _post(f"{address}/api/projects/{project}/surfaces", body, kind)
        )["id"]

        def opening() -> str:
            view = json.loads(urllib.request.urlopen(f"{address}/api/surfaces/{surface}").read())
            urllib.request.urlopen(f"{address}/api/surfaces/{surface}/geometry").read()
            return str(view["channel_sets"][0]["id"])

        channel_set = _timed("open: documents and geometry, surface not in memory", opening)
        window = _timed("open: socket until every channel value is there", lambda: _Window(address, surface))
        _pen(window, channel_set, round(vertices**0.5) * SPACING, TOUCHED)
        window.socket.close()


def growth(vertices: int, strokes: int) -> None:
    """What many strokes make of the database, checkpoints and all."""
    from sqlalchemy import text

    from ashblend.core.surface import ChannelAddress, Protection
    from ashblend.server.live.strokes import Strokes
    from ashblend.server.live.surface import OpenSurface
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
            _timed("open it again", lambda: OpenSurface(made, surface.ident))
            engine.dispose()
    finally:
        shutil.rmtree(data, ignore_errors=True)
        data.with_name(f"{data.name}.password").unlink(missing_ok=True)


def _painted_surface(made: Any, mesh: Mesh) -> Any:
    """A project with a surface of a mesh; the surface's id."""
    from ashblend.core.formats.images import write_png
    from ashblend.server.routes.surfaces import import_surface
    from ashblend.store.materials import create_material
    from ashblend.store.projects import create_project

    with made.begin() as session:
        project = create_project(session, "Bench").id
        create_material(session, project, "Grey", {"albedo": write_png(np.full((64, 64, 3), 120, np.uint8))})
        data = build_glb(mesh, [], "Ground")
        return import_surface(session, project, "ground.glb", data, Limits()).id


def bench(vertices: int) -> None:
    print(f"Ash Blend benchmarks: {os.cpu_count()} processors, Python {sys.version.split()[0]}")
    print(
        f"\nBrush in core (bar: one dab over {TOUCHED:,} of 1,000,000 sites under 2 ms, flat when the mesh grows)"
    )
    for size in (vertices // 4, vertices, 4 * vertices):
        dabs(size, TOUCHED)
    dabs(vertices, 10 * TOUCHED)
    print("\nActs that look around them (costs follow the touched sites)")
    acts(vertices, TOUCHED)
    acts(vertices, 10 * TOUCHED)
    print("\nTexels of a map (bar: 24 bytes a site)")
    on_texels(2048)
    on_texels(4096)
    print("\nPreparing")
    meshes(vertices)
    to_a_mask()
    print("\nOver the wire (bar: pen event to values, p95 under 8 ms)")
    over_the_wire(vertices)
    print("\nGrowth")
    growth(vertices // 4, 10_000)
