"""What all benchmarks measure on, and how they print."""

import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from ashblend.core.sites.mesh import Group, Mesh

ROOT = Path(__file__).parents[4]
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


def spread(times: list[float]) -> str:
    ms = np.array(times) * 1e3
    return f"median {np.median(ms):8.2f} ms   p95 {np.percentile(ms, 95):8.2f} ms"


def radius_for(touched: int) -> float:
    return float((touched / np.pi) ** 0.5 * SPACING)


def timed(label: str, work: Callable[[], Any]) -> Any:
    began = time.perf_counter()
    result = work()
    print(f"  {label:58s} {time.perf_counter() - began:8.2f} s", flush=True)
    return result
