"""Small pictures of what measures do, on a shape of ours: a wall with a coping and a sill, steps, two posts, leaves.

Rendered by the measures themselves; the page ships the result (launch/measure_pictures.py).
"""

from functools import lru_cache
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F32, F64, U32
from ashblend.core.progress import silent
from ashblend.core.sites.mesh import Group, Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.sites.patch import Places
from ashblend.core.survey.body import Body
from ashblend.core.survey.lent import ChannelOf, Lent
from ashblend.core.survey.protocol import Ground, MeasureDocument
from ashblend.core.survey.registry import MEASURES
from ashblend.core.terrain.lie import lie_of

WIDTH, HEIGHT = 176, 120
# Several rays for each pixel's sides.
FINE = 2
# Metres between vertices.
GRAIN = 0.025
NOBODY = str(UUID(int=0))
# Settings in which a measure shows best on this shape, and the ends of a ramp over it.
SHOWN: dict[str, tuple[dict[str, object], tuple[float, float]]] = {
    "occlusion": ({"metres": 0.8}, (1.0, 0.3)),
    "openness": ({"azimuth": 240.0, "tilt": 35.0}, (0.0, 1.0)),
    "thickness": ({"metres": 0.5}, (0.4, 0.02)),
    "edges": ({"least": 60.0}, (0.08, 0.0)),
    "cavity": ({"metres": 0.015}, (-4.0, 10.0)),
    "runs": ({"metres": 0.01}, (0.0, 0.5)),
    "distance": ({"of": "a height", "height": 0.0, "way": "straight"}, (1.1, 0.0)),
    "along": ({"of": "each part"}, (0.0, 1.0)),
    "pieces": ({}, (0.0, 1.0)),
    "inside": ({"group": "thing 1"}, (0.0, 1.0)),
    "borrow": ({"lender": {"channel_set": NOBODY}, "metres": 0.45, "facing": 180.0}, (0.0, 1.0)),
    "pivot": ({}, (0.0, 1.0)),
    "convexity": ({"metres": 0.25}, (-0.6, 0.6)),
    "aspect": ({}, (180.0, 0.0)),
    "position": ({"metres": 20.0}, (-5.0, 5.0)),
    "water": ({}, (0.0, 1.5)),
    "upstream": ({}, (9.0, 3000.0)),
    "wetness": ({}, (4.0, 9.0)),
    "near_water": ({}, (40.0, 0.0)),
    "shelter": ({}, (0.0, 25.0)),
    "sun": ({}, (0.3, 1.0)),
    "snow": ({}, (0.0, 1.0)),
    "talus": ({"cliff": 35.0}, (0.0, 1.0)),
}


def _sheet(corner: F64, along: F64, across: F64) -> tuple[F64, U32]:
    counts = [max(1, round(float(np.linalg.norm(way)) / GRAIN)) for way in (along, across)]
    u, v = np.linspace(0, 1, counts[0] + 1), np.linspace(0, 1, counts[1] + 1)
    vv, uu = np.meshgrid(v, u, indexing="ij")
    at = corner + uu.reshape(-1, 1) * along + vv.reshape(-1, 1) * across
    i = np.arange(at.shape[0]).reshape(v.size, u.size)
    a, b, c, d = i[:-1, :-1], i[:-1, 1:], i[1:, :-1], i[1:, 1:]
    faces = np.stack([np.stack([a, b, c], -1), np.stack([b, d, c], -1)], 2).reshape(-1, 3)
    return at, faces.astype(np.uint32)


def _block(low: tuple[float, float, float], high: tuple[float, float, float]) -> list[tuple[F64, U32]]:
    """Six sheets that face outward."""
    a, size = np.array(low, np.float64), np.array(high) - np.array(low)
    x, y, z = np.diag(size)
    return [
        _sheet(a + y, z, x),
        _sheet(a, x, z),
        _sheet(a + z, x, y),
        _sheet(a, y, x),
        _sheet(a + x, y, z),
        _sheet(a, z, y),
    ]


def _leaf(root: tuple[float, float, float], lean: float, tall: float) -> list[tuple[F64, U32]]:
    across = np.array([0.07, 0.0, 0.03])
    return [_sheet(np.array(root) - across / 2, across, np.array([lean, tall, 0.1]))]


@lru_cache(maxsize=1)
def shape() -> Mesh:
    """About 2.4 m wide."""
    things = [
        _block((-1.2, -0.1, -0.7), (1.2, 0.0, 0.9)),
        _block((-1.2, 0.0, -0.7), (1.2, 0.85, -0.4)),
        _block((-1.2, 0.85, -0.75), (1.2, 0.97, -0.3)),
        _block((-0.35, 0.38, -0.45), (0.25, 0.45, -0.24)),
        _block((-1.2, 0.0, -0.4), (-0.6, 0.36, 0.15)),
        _block((-1.2, 0.0, 0.15), (-0.6, 0.18, 0.5)),
        _block((0.5, 0.0, -0.05), (0.68, 0.62, 0.13)),
        _block((0.85, 0.0, 0.25), (0.97, 0.45, 0.37)),
        *(
            _leaf((-0.2 + 0.13 * k, 0.0, 0.35 + 0.05 * (k % 2)), 0.1 - 0.05 * k, 0.4 - 0.05 * k)
            for k in range(4)
        ),
    ]
    positions: list[F64] = []
    faces: list[U32] = []
    groups: list[Group] = []
    first, count = 0, 0
    for number, parts in enumerate(things):
        begun = count
        for corner, index in parts:
            # No two things share a place.
            positions.append(corner + 1e-4 * number)
            faces.append(index + np.uint32(first))
            first, count = first + corner.shape[0], count + index.shape[0]
        groups.append(Group(f"thing {number}", begun, count - begun))
    at = np.concatenate(positions)
    # Joints between the wall's stones.
    x, y = at[:, 0], at[:, 1]
    level = np.abs(y - np.round(y / 0.28) * 0.28)
    upright = np.abs((x + 0.3 * np.floor(y / 0.28) + 9) % 0.6 - 0.3)
    front = (np.abs(at[:, 2] + 0.4) < 1e-3) & (y > 0.05) & (y < 0.8)
    at[:, 2] -= 0.05 * front * np.exp(-((np.minimum(level, upright) / 0.03) ** 2))
    # Sheets of a block meet bit for bit.
    places = np.round(at, 5).astype(np.float32)
    return Mesh(places, np.concatenate(faces), groups=tuple(groups))


def _carpet() -> Lent:
    """A patterned sheet under the shape, for it to borrow from."""
    at, triangles = _sheet(np.array([-1.3, 0.0, -0.8]), np.array([0, 0, 1.8]), np.array([2.6, 0, 0]))
    mesh = Mesh(at.astype(np.float32), triangles)
    held = (np.sin(9 * at[:, 0] + 3 * at[:, 2]) * np.cos(8 * at[:, 2] - 2 * at[:, 0]) > -0.1).astype(
        np.float64
    )
    return Lent(
        mesh_vertices(mesh),
        lambda asked: held[asked],
        mesh.positions,
        mesh.triangles,
        lambda faces, shares: Places(faces.astype(np.int32), shares),
    )


@lru_cache(maxsize=1)
def _body() -> Body:
    mesh = shape()
    return Body(mesh, mesh_vertices(mesh), lent={ChannelOf(channel_set=UUID(NOBODY)): _carpet})


def _seen(values: F32) -> tuple[F64, F64, F64]:
    """(rows, cols) values, light and cover as seen from above in front."""
    from embreex import rtcore_scene
    from embreex.mesh_construction import TriangleMesh

    mesh = shape()
    corners = mesh.positions[mesh.triangles]
    scene = rtcore_scene.EmbreeScene()
    held = TriangleMesh(scene, np.ascontiguousarray(corners))
    forward = np.array([-0.42, -0.55, -0.95])
    forward /= np.linalg.norm(forward)
    right = np.cross(forward, [0, 1, 0])
    right /= np.linalg.norm(right)
    up = np.cross(right, forward)
    rows, cols = HEIGHT * FINE, WIDTH * FINE
    x = (np.arange(cols) + 0.5) / cols - 0.5
    y = 0.5 - (np.arange(rows) + 0.5) / rows
    yy, xx = np.meshgrid(y, x, indexing="ij")
    wide = 3.0
    at = np.array([0.0, 0.36, 0.0]) - forward * 9
    origins = at + xx.reshape(-1, 1) * wide * right + yy.reshape(-1, 1) * wide * HEIGHT / WIDTH * up
    rays = np.broadcast_to(forward, origins.shape).astype(np.float32)
    hit = scene.run(origins.astype(np.float32), rays, output=1)
    face = np.asarray(hit["primID"])
    there = face >= 0
    u, v = np.asarray(hit["u"], np.float64), np.asarray(hit["v"], np.float64)
    weights = np.stack([1 - u - v, u, v], axis=1)
    told = (values[mesh.triangles[np.maximum(face, 0)]] * weights).sum(axis=1)
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]).astype(np.float64)
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
    light = np.array([0.35, 0.75, 0.6]) / np.linalg.norm([0.35, 0.75, 0.6])
    lit = 0.62 + 0.38 * np.abs(normal[np.maximum(face, 0)] @ light)
    del held
    return told.reshape(rows, cols), lit.reshape(rows, cols), there.reshape(rows, cols).astype(np.float64)


def _hills() -> Ground:
    line = np.linspace(0, 1, WIDTH // 2)
    x, z = np.meshgrid(line, line[: HEIGHT // 2])
    tall = 26 * np.exp(-(((x - 0.3) / 0.16) ** 2 + ((z - 0.3) / 0.13) ** 2)) + 14 * np.sin(5 * x + 2) * z
    tall += 9 * np.tanh((x - 0.55) * 26) / (1 + np.exp((z - 0.5) * 26)) + 2 * np.sin(19 * x) * np.cos(17 * z)
    tall -= 14 * np.exp(-(((x - 0.72) / 0.1) ** 2 + ((z - 0.5) / 0.08) ** 2))
    return Ground(tall.astype(np.float32), 3.0)


def picture(kind: str) -> NDArray[np.uint8]:
    """(HEIGHT, WIDTH, 4) of a measure, transparent where there is nothing."""
    import cv2

    measure = MEASURES[kind]
    settings, (low, high) = SHOWN[kind]
    wanted: MeasureDocument = measure.document.model_validate(settings)
    if measure.on is not None:
        told, lit, there = _seen(measure.on(_body(), wanted, silent))
    else:
        assert measure.over is not None
        ground = _hills()
        told = measure.over(ground, wanted, silent).astype(np.float64)
        rows, cols = np.indices(told.shape).astype(np.float64)
        lie = lie_of(ground.heights, ground.spacing, np.stack([cols.reshape(-1), rows.reshape(-1)], axis=1))[
            1
        ]
        lit = 0.45 + 0.55 * np.clip(lie @ np.array([-0.5, 0.7, -0.5]), 0, 1).reshape(told.shape)
        there = np.ones_like(told)
    share = np.clip((told - low) / (high - low), 0, 1)
    colour = (
        cv2.applyColorMap((share * 255).astype(np.uint8), cv2.COLORMAP_CIVIDIS)[..., ::-1] * lit[..., None]
    )
    # Colour beside the shape's rim is the shape's.
    whole = np.concatenate([colour * there[..., None], there[..., None] * 255], axis=-1)
    small = cv2.resize(whole, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA)
    cover = small[..., 3:]
    plain = np.concatenate([small[..., :3] / np.maximum(cover / 255, 1e-3), cover], axis=-1)
    return np.clip(np.rint(plain), 0, 255).astype(np.uint8)
