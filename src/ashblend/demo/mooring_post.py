"""The mooring post: a leaning timber with an iron band and a worn head, and far too few vertices.

Three levels of detail from one description. Metres, Y up, its foot at the origin; one UV chart
round the timber, v down it, and one for the head.
"""

from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import F64
from ashblend.core.sites.mesh import Group, Mesh

HEIGHT = 1.9
RADIUS = 0.17
BAND = (1.30, 1.42)
LEAN = 0.06


@dataclass(frozen=True)
class Detail:
    """around: sides. rings: heights of the rings, from the foot up."""

    around: int
    rings: tuple[float, ...]


LEVELS = (
    Detail(14, (0.0, 0.3, 0.6, 0.9, 1.1, *BAND, 1.6, HEIGHT)),
    Detail(10, (0.0, 0.6, 1.1, *BAND, HEIGHT)),
    Detail(6, (0.0, 0.9, HEIGHT)),
)


def _radius(height: F64, angle: F64) -> F64:
    """Worn thin at the tide line, rubbed at the head by ropes, never quite round."""
    waist = 1 - 0.10 * np.exp(-(((height - 0.55) / 0.35) ** 2))
    head = 1 - 0.14 * np.exp(-(((height - HEIGHT) / 0.12) ** 2))
    return RADIUS * waist * head * (1 + 0.035 * np.cos(3 * angle + 1.0) + 0.02 * np.sin(5 * angle))


def _lean(points: F64) -> F64:
    out = points.copy()
    out[:, 0] += LEAN * (points[:, 1] / HEIGHT) ** 1.5
    return out


def mooring_post(level: int = 0) -> Mesh:
    """The post at a level of detail; groups timber, band and head."""
    detail = LEVELS[level]
    rings, sides = np.array(detail.rings), detail.around
    angle = np.linspace(0, 2 * np.pi, sides + 1)
    # The last column is the first again, bit for bit: the chart's seam.
    shown = np.where(np.arange(sides + 1) == sides, 0.0, angle)
    hh, aa = np.meshgrid(rings, shown, indexing="ij")
    r = _radius(hh, aa)
    wall = _lean(np.stack([r * np.cos(aa), hh, -r * np.sin(aa)], axis=-1).reshape(-1, 3))
    uv = np.stack(
        np.broadcast_arrays(0.75 * angle[None, :] / (2 * np.pi), 1 - 0.98 * hh / HEIGHT), axis=-1
    ).reshape(-1, 2)
    i = np.arange(wall.shape[0]).reshape(rings.shape[0], sides + 1)
    a, b, c, d = i[:-1, :-1], i[:-1, 1:], i[1:, :-1], i[1:, 1:]
    quads = np.stack([np.stack([a, b, d], -1), np.stack([a, d, c], -1)], axis=2)
    of_band = (rings[:-1] == BAND[0]) & (np.append(rings, 0)[1:-1] == BAND[1])
    timber, band = quads[~of_band].reshape(-1, 3), quads[of_band].reshape(-1, 3)

    rim = wall[i[-1, :-1]]
    top = np.concatenate([rim, rim.mean(axis=0, keepdims=True) + [[0, 0.03, 0]]])
    first = wall.shape[0]
    k = np.arange(sides)
    head = first + np.stack([k, (k + 1) % sides, np.full(sides, sides)], axis=1)
    flat = (top[:, [0, 2]] - top[-1, [0, 2]]) / RADIUS
    head_uv = np.stack([0.87 + 0.10 * flat[:, 0], 0.12 + 0.10 * flat[:, 1]], axis=1)

    out = np.concatenate([wall, top])
    outward = np.concatenate(
        [
            np.stack([np.cos(aa), 0 * aa, -np.sin(aa)], axis=-1).reshape(-1, 3),
            np.tile([[0.0, 1.0, 0.0]], (top.shape[0], 1)),
        ]
    )
    runs = [("timber", timber), ("band", band), ("head", head)]
    groups, at = [], 0
    for name, faces in runs:
        if len(faces):
            groups.append(Group(name, at, len(faces)))
            at += len(faces)
    return Mesh(
        out.astype(np.float32),
        np.concatenate([faces for _, faces in runs]).astype(np.uint32),
        normals=outward.astype(np.float32),
        uvs=(np.concatenate([uv, head_uv]).astype(np.float32),),
        groups=tuple(groups),
    )
