"""The sea-thrift tuft: curved cards that fan out from one root, for sway weights that leave it still.

Metres, Y up, the root at the origin. Every card has the whole UV square.
"""

import numpy as np

from ashblend.core.arrays import F64
from ashblend.core.sites import Group, Mesh

CARDS = 42
STEPS = 5
HEIGHT = 0.28
WIDTH = 0.05


def sea_thrift(seed: int = 5) -> Mesh:
    """The tuft; groups leaves and stalks."""
    random = np.random.default_rng(seed)
    positions: list[F64] = []
    normals: list[F64] = []
    uvs: list[F64] = []
    triangles: list[tuple[int, int, int]] = []
    stalks_from = 0
    for card in range(CARDS):
        stalk = card >= CARDS - 10
        if stalk and not stalks_from:
            stalks_from = len(triangles)
        heading = 2 * np.pi * (card * 0.618034 % 1)
        bend = random.uniform(0.1, 0.3) if stalk else random.uniform(0.5, 1.2)
        length = HEIGHT * (random.uniform(0.85, 1.0) if stalk else random.uniform(0.45, 0.75))
        width = WIDTH * (0.35 if stalk else random.uniform(0.7, 1.1))
        out = np.array([np.cos(heading), 0, np.sin(heading)])
        side = np.array([-np.sin(heading), 0, np.cos(heading)])
        t = np.linspace(0, 1, STEPS + 1)
        # Rises, then leans over: an arc of the card's own bend.
        lean = bend * t**1.6
        spine = (
            0.012 * out
            + np.outer(length * np.sin(lean) / max(bend, 1e-3) * 0.9, out)
            + np.outer(length * t * np.cos(0.6 * lean), [0, 1, 0])
        )
        half = width / 2 * (1 - 0.75 * t**2)
        first = 2 * (STEPS + 1) * card
        rows = np.stack([spine - half[:, None] * side, spine + half[:, None] * side], axis=1)
        positions.append(rows.reshape(-1, 3))
        # Lit like the cushion they make, not like single sheets.
        soft = rows.reshape(-1, 3) * [1, 0.6, 1] + [0, 0.06, 0]
        normals.append(soft / np.linalg.norm(soft, axis=1, keepdims=True))
        uvs.append(np.stack([np.tile([0.0, 1.0], STEPS + 1), np.repeat(1 - t, 2)], axis=1))
        for step in range(STEPS):
            a = first + 2 * step
            triangles += [(a, a + 2, a + 1), (a + 1, a + 2, a + 3)]
    return Mesh(
        np.concatenate(positions).astype(np.float32),
        np.array(triangles, np.uint32),
        normals=np.concatenate(normals).astype(np.float32),
        uvs=(np.concatenate(uvs).astype(np.float32),),
        groups=(
            Group("leaves", 0, stalks_from),
            Group("stalks", stalks_from, len(triangles) - stalks_from),
        ),
    )
