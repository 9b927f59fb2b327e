"""The sea-thrift tuft: a cushion of narrow leaves round one root, with pink heads on stalks above it.

Metres, Y up, the root at the origin. Every leaf and stalk is a card that has the whole UV square; heads are small
balls. For sway weights that leave the root still.
"""

import itertools
from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import F64, U32
from ashblend.core.sites.mesh import Group, Mesh

LEAVES = 460
STALKS = 17
STEPS = 5
# Of the cushion and of the stalks, in metres.
SPREAD, TALL = 0.115, 0.095
STALK = 0.19
HEAD = 0.0125
RINGS, AROUND = 9, 18


@dataclass(frozen=True)
class Tuft:
    """piece: (n,) which leaf, or which stalk with its head, each vertex belongs to. head: (n,) 1 on heads, else 0."""

    mesh: Mesh
    piece: U32
    head: F64


Part = tuple[F64, F64, F64, U32]


def _card(spine: F64, half: F64, side: F64, normals: F64) -> Part:
    """A strip along a spine (s, 3), half as wide (s,) to both sides; positions, normals, uv, triangles."""
    rows = np.stack([spine - half[:, None] * side, spine + half[:, None] * side], axis=1)
    steps = spine.shape[0]
    t = np.linspace(0, 1, steps)
    uv = np.stack([np.tile([0.0, 1.0], steps), np.repeat(1 - t, 2)], axis=1)
    a = 2 * np.arange(steps - 1)
    triangles = np.concatenate([np.stack([a, a + 2, a + 1], 1), np.stack([a + 1, a + 2, a + 3], 1)])
    return rows.reshape(-1, 3), np.repeat(normals, 2, axis=0), uv, triangles.astype(np.uint32)


def _leaf(random: np.random.Generator, number: int) -> Part:
    """A narrow leaf that rises from the root and ends on the cushion."""
    heading = 2 * np.pi * (number * 0.618034 % 1)
    # Evenly over the dome: as many near its top as at its rim.
    tilt = np.arccos(1 - (number + 0.5) / LEAVES * 0.93)
    out = np.array([np.cos(heading), 0, np.sin(heading)])
    side = np.array([-np.sin(heading), 0, np.cos(heading)])
    end = out * SPREAD * np.sin(tilt) + [0, TALL * np.cos(tilt) + 0.006, 0]
    end = end * random.uniform(0.86, 1.04)
    t = np.linspace(0, 1, STEPS + 1)[:, None]
    arch = np.array([0, 0.35 * np.sin(tilt) * TALL, 0]) * np.sin(np.pi * t)
    spine = out * 0.006 + end * t + arch
    half = 0.0047 * random.uniform(0.8, 1.25) * (1 - 0.85 * t[:, 0] ** 2)
    twist = side + 0.5 * random.standard_normal(3)
    # Lit like the cushion they make, not like single sheets.
    soft = spine * [1, 1.3, 1] + [0, 0.035, 0]
    return _card(
        spine, half, twist / np.linalg.norm(twist), soft / np.linalg.norm(soft, axis=1, keepdims=True)
    )


def _stalk(random: np.random.Generator, number: int) -> tuple[Part, F64]:
    """A stalk, and where it ends."""
    heading = 2 * np.pi * (number * 0.618034 % 1) + 0.4
    reach = 0.105 * np.sqrt((number + 0.5) / STALKS)
    out = np.array([np.cos(heading), 0, np.sin(heading)])
    top = out * reach + [0, STALK * random.uniform(0.78, 1.0), 0]
    t = np.linspace(0, 1, STEPS + 1)[:, None]
    spine = out * 0.5 * reach * t + (top - out * 0.5 * reach) * t**1.25
    side = np.array([-np.sin(heading), 0, np.cos(heading)])
    normals = np.tile(out * 0.7 + [0, 0.7, 0], (STEPS + 1, 1))
    return _card(spine, np.full(STEPS + 1, 0.0016), side, normals), spine[-1]


def _head(random: np.random.Generator, centre: F64) -> Part:
    """A ball of florets, flatter below: knobs in rows that are lit as one round thing."""
    across, around = np.linspace(0, np.pi, RINGS + 1), np.linspace(0, 2 * np.pi, AROUND + 1)
    theta, phi = (g.reshape(-1) for g in np.meshgrid(across, around, indexing="ij"))
    unit = np.stack([np.sin(theta) * np.cos(phi), np.cos(theta), np.sin(theta) * np.sin(phi)], axis=1)
    knobs = np.abs(np.sin(4.5 * phi + 2.2 * theta)) * np.abs(np.sin(4.5 * theta))
    ragged = 0.92 + 0.15 * knobs + 0.05 * np.sin(3 * phi + random.uniform(0, 6))
    size = HEAD * random.uniform(0.85, 1.15)
    places = centre + unit * ragged[:, None] * size * [1, 0.72, 1] + [0, 0.35 * size, 0]
    row, column = np.divmod(np.arange(RINGS * AROUND), AROUND)
    a = row * (AROUND + 1) + column
    b = a + AROUND + 1
    upper = np.stack([a, a + 1, b + 1], 1)[row > 0]
    lower = np.stack([a, b + 1, b], 1)[row < RINGS - 1]
    triangles = np.concatenate([upper, lower]).astype(np.uint32)
    # Between round and knobbly: florets show and the ball stays one.
    bent = unit + 0.35 * (knobs - 0.4)[:, None] * np.array([0.0, 1.0, 0.0])
    return places, bent, np.stack([phi / (2 * np.pi), theta / np.pi], axis=1), triangles


def tuft(seed: int = 5) -> Tuft:
    """The tuft; groups leaves, stalks and heads."""
    random = np.random.default_rng(seed)
    leaves = [_leaf(random, number) for number in range(LEAVES)]
    stalks, tops = zip(*(_stalk(random, number) for number in range(STALKS)), strict=True)
    heads = [_head(random, top) for top in tops]
    parts = [*leaves, *stalks, *heads]
    pieces = [*range(LEAVES + STALKS), *range(LEAVES, LEAVES + STALKS)]
    sizes = [part[0].shape[0] for part in parts]
    begins = np.concatenate([[0], np.cumsum(sizes)[:-1]])
    triangles = [part[3] + np.uint32(begin) for part, begin in zip(parts, begins, strict=True)]
    ends = [0, LEAVES, LEAVES + STALKS, len(parts)]
    counts = [sum(t.shape[0] for t in triangles[a:b]) for a, b in itertools.pairwise(ends)]
    firsts = np.concatenate([[0], np.cumsum(counts)[:-1]])
    names = ("leaves", "stalks", "heads")
    mesh = Mesh(
        np.concatenate([part[0] for part in parts]).astype(np.float32),
        np.concatenate(triangles),
        normals=np.concatenate(
            [part[1] / np.linalg.norm(part[1], axis=1, keepdims=True) for part in parts]
        ).astype(np.float32),
        uvs=(np.concatenate([part[2] for part in parts]).astype(np.float32),),
        groups=tuple(Group(*entry) for entry in zip(names, map(int, firsts), counts, strict=True)),
    )
    is_head = [0.0] * (LEAVES + STALKS) + [1.0] * STALKS
    return Tuft(mesh, np.repeat(pieces, sizes).astype(np.uint32), np.repeat(is_head, sizes))


def sea_thrift(seed: int = 5) -> Mesh:
    """The tuft's mesh."""
    return tuft(seed).mesh
