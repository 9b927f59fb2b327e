"""The slipway: a sloping slip of granite setts between a kerb and a retaining wall, broken at both ends.

One cross-section swept along z, so the parts are connected at their corners; each part has
vertices and normals of its own there, as an exporter would split them. Metres, Y up; the land
end is at −z, the sea end at +z, mean tide at y = 0.
"""

from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import F32, F64, U32
from ashblend.core.sites.mesh import Group, Mesh

LENGTH = 17.0
HALF_WIDTH = 3.6
STEP = 0.0655
TIDE = 0.0


@dataclass(frozen=True)
class _Part:
    """A grid of vertices. positions: (rows, columns, 3); columns run along the sweep."""

    name: str
    positions: F64
    uv: F64


class _Ripple:
    """Smooth noise as a sum of sines with seeded directions, metres in, about −1..1 out."""

    def __init__(self, seed: int, longest: float, octaves: int) -> None:
        random = np.random.default_rng(seed)
        count = 6 * octaves
        lengths = longest * 0.55 ** (np.arange(count) / 6)
        angles = 2 * np.pi * random.random(count)
        self._kx = 2 * np.pi * np.cos(angles) / lengths
        self._kz = 2 * np.pi * np.sin(angles) / lengths
        self._phase = 2 * np.pi * random.random(count)
        self._gain = (lengths / longest) ** 0.9 / 6**0.5

    def __call__(self, x: F64, z: F64) -> F64:
        out = np.zeros(np.broadcast(x, z).shape)
        for kx, kz, phase, gain in zip(self._kx, self._kz, self._phase, self._gain, strict=True):
            out += gain * np.sin(kx * x + kz * z + phase)
        return out


def deck_level(z: F64) -> F64:
    """Height of the deck's middle line: nine degrees, flattening at the sea end."""
    return -0.155 * z + 0.16 * np.maximum(z - 5.5, 0) ** 1.4 * 0.22


def _wall_top(z: F64) -> F64:
    """The coping steps down twice."""
    steps = 1 / (1 + np.exp(-(z + 2.5) * 9)) + 1 / (1 + np.exp(-(z - 3.6) * 9))
    return 2.75 - 0.75 * steps


def _even(length: float, step: float = STEP) -> F64:
    return np.linspace(0, 1, max(2, round(length / step) + 1))


def _sweep(name: str, x: F64, y: F64, z: F64, along: F64) -> _Part:
    """x, y: (rows, columns). along: arc length of each row in metres, for u."""
    positions = np.stack([x, y, np.broadcast_to(z, x.shape)], axis=2)
    uv = np.stack([np.broadcast_to(along[:, None], x.shape), np.broadcast_to(z, x.shape)], axis=2) / 8
    return _Part(name, positions, uv)


def _parts() -> list[_Part]:
    z = np.linspace(-LENGTH / 2, LENGTH / 2, round(LENGTH / STEP) + 1)[None, :]
    settle, rough, chip = _Ripple(3, 3.2, 3), _Ripple(4, 0.7, 3), _Ripple(5, 0.42, 3)

    def deck_y(x: F64) -> F64:
        sag = -0.07 * np.exp(-((x - 0.6) ** 2 / 2.6 + (z - 3.2) ** 2 / 7))
        return deck_level(z) + 0.028 * settle(x, z) + 0.008 * rough(x, z) + sag + 0.02 * (x / HALF_WIDTH) ** 2

    right = HALF_WIDTH
    kerb_top = deck_y(np.full_like(z, right)) + 0.17
    t = _even(0.4)[:, None]
    kerb_out = _sweep(
        "kerb",
        right + 0.30 + 0.012 * chip(kerb_top - 0.4 * (1 - t), z),
        kerb_top - 0.42 * (1 - t),
        z,
        t[:, 0] * 0.42,
    )
    t = _even(0.3)[:, None]
    kerb_crown = _sweep(
        "kerb",
        right + 0.30 * (1 - t) + 0 * z,
        kerb_top - 0.02 * (2 * t - 1) ** 4 + 0.010 * chip(right - t, z),
        z,
        0.42 + t[:, 0] * 0.3,
    )
    t = _even(0.17)[:, None]
    kerb_in = _sweep(
        "kerb",
        right - 0.006 * np.sin(np.pi * t) + 0 * z,
        kerb_top - 0.02 - (kerb_top - 0.02 - deck_y(np.full_like(z, right))) * t,
        z,
        0.72 + t[:, 0] * 0.17,
    )
    t = _even(2 * HALF_WIDTH)[:, None]
    x = right - 2 * HALF_WIDTH * t + 0 * z
    deck = _sweep("deck", x, deck_y(x), z, 1.0 + t[:, 0] * 2 * HALF_WIDTH)

    left = -HALF_WIDTH
    foot, top = deck_y(np.full_like(z, left)), _wall_top(z) + 0.012 * chip(0 * z, z)
    t = _even(2.3)[:, None]
    batter = 0.10 * t
    wall_in = _sweep(
        "wall",
        left - batter + 0.014 * rough(foot + (top - foot) * t, z) * np.sin(np.pi * t),
        foot + (top - foot) * t,
        z,
        8.4 + t[:, 0] * 2.2,
    )
    t = _even(0.5)[:, None]
    wall_crown = _sweep(
        "wall", left - 0.10 - 0.5 * t + 0 * z, top + 0.022 * np.sin(np.pi * t), z, 10.7 + t[:, 0] * 0.5
    )
    t = _even(2.6)[:, None]
    base = deck_level(z) - 0.45
    wall_out = _sweep(
        "wall",
        left - 0.60 - 0.06 * t + 0.012 * rough(9 + top * t, z) * np.sin(np.pi * t),
        top + (base - top) * t,
        z,
        11.3 + t[:, 0] * 2.4,
    )
    swept = [kerb_out, kerb_crown, kerb_in, deck, wall_in, wall_crown, wall_out]
    return swept + [_broken_end(swept, side) for side in (0, -1)]


def _broken_end(swept: list[_Part], side: int) -> _Part:
    """The torn face below the rim that the sweep ends with, rubble towards its foot."""
    rim = np.concatenate([part.positions[:, side] for part in swept])
    # Neighbouring parts share their corner; here it is wanted once.
    step = np.linalg.norm(np.diff(rim, axis=0), axis=1)
    rim = rim[np.concatenate([[True], step > 1e-9])]
    along = np.concatenate([[0], np.cumsum(step[step > 1e-9])])
    depth = _even(0.9, 0.075)[:, None]
    tear = _Ripple(7 + side, 1.3, 3)
    out = 1.0 if side == -1 else -1.0
    lump = np.abs(tear(along[None, :], 3 * depth)) * depth**0.7
    floor = deck_level(rim[:, 2]) - 0.55
    drop = np.maximum(rim[:, 1] - floor, 0.02)
    x = rim[None, :, 0] + 0.05 * tear(along[None, :] + 5, 2 * depth) * depth
    y = rim[None, :, 1] - drop * depth
    z = rim[None, :, 2] + out * (0.16 * lump + 0.20 * depth**2)
    u = np.broadcast_to(along[None, :] / 8, x.shape)
    v = np.broadcast_to(depth * 0.9 / 8 + (2.0 if side else -2.0), x.shape)
    positions = np.stack([x, y, z], axis=2)
    if side == -1:
        positions, u, v = positions[:, ::-1], u[:, ::-1], v[:, ::-1]
    return _Part("broken ends", positions, np.stack([u, v], axis=2))


def _grid_triangles(rows: int, columns: int) -> U32:
    i = np.arange(rows * columns).reshape(rows, columns)
    a, b, c, d = i[:-1, :-1], i[:-1, 1:], i[1:, :-1], i[1:, 1:]
    # Diagonals alternate, so that slopes show no grain of their own.
    flip = (np.add.outer(np.arange(rows - 1), np.arange(columns - 1)) % 2)[..., None]
    first = np.where(flip, np.stack([a, d, b], -1), np.stack([a, c, b], -1))
    second = np.where(flip, np.stack([a, c, d], -1), np.stack([b, c, d], -1))
    return np.stack([first, second], axis=2).reshape(-1, 3).astype(np.uint32)


def _grid_normals(p: F64) -> F32:
    down = np.gradient(p, axis=0)
    across = np.gradient(p, axis=1)
    n = np.cross(down, across)
    return (n / np.maximum(np.linalg.norm(n, axis=2, keepdims=True), 1e-12)).astype(np.float32)


def slipway() -> Mesh:
    """The mesh, with groups kerb, deck, wall and broken ends, and one UV set in even metres."""
    parts = _parts()
    order = {"deck": 0, "kerb": 1, "wall": 2, "broken ends": 3}
    parts.sort(key=lambda part: order[part.name])
    positions, normals, uvs, triangles = [], [], [], []
    groups: list[Group] = []
    vertices = faces = 0
    for part in parts:
        rows, columns = part.positions.shape[:2]
        grid = _grid_triangles(rows, columns)
        facing = _grid_normals(part.positions)
        positions.append(part.positions.reshape(-1, 3).astype(np.float32))
        normals.append(facing.reshape(-1, 3))
        uvs.append(part.uv.reshape(-1, 2).astype(np.float32))
        triangles.append(grid + np.uint32(vertices))
        if groups and groups[-1].name == part.name:
            groups[-1] = Group(part.name, groups[-1].first, groups[-1].count + len(grid))
        else:
            groups.append(Group(part.name, faces, len(grid)))
        vertices += rows * columns
        faces += len(grid)
    return Mesh(
        positions=np.concatenate(positions),
        triangles=np.concatenate(triangles),
        normals=np.concatenate(normals),
        uvs=(np.concatenate(uvs),),
        groups=tuple(groups),
    )


def ripple(seed: int, longest: float, octaves: int) -> _Ripple:
    """Seeded smooth noise over the ground plane, for painting the sample's masks."""
    return _Ripple(seed, longest, octaves)
