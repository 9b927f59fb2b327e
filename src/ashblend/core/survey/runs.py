"""Where water that falls on the surface runs: streaks under sills, rims of puddles.

From the highest point down, each hands what fell on it and what came to it on to its lower neighbours. Between two points
goes what crosses the border of their Voronoi cells along the steepest way down of each triangle: a first-order finite
volume of the water's steady flow (for example LeVeque 2002, "Finite Volume Methods for Hyperbolic Problems", section 20).
Level parts drain over their rims (level.py). Told as metres of surface that drain through a metre of width across
the flow. What falls is what the surface shows to the rain, less what is hidden from it.

Tried: shares by the steepness to the power 1.1 (Freeman 1991, Computers & Geosciences 17(3)) and a width from a
point's area, which on a plane gave half or three times the answer where triangles are long, and finer ones did not help.
"""

from typing import Annotated, ClassVar, Literal, Self

import numba
import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32, F64, I32, I64
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.sites.patch import Graph
from ashblend.core.source_document import Unit
from ashblend.core.survey.body import Body
from ashblend.core.survey.level import laid_to_falls
from ashblend.core.survey.openness import OpennessMeasure, openness_over
from ashblend.core.survey.protocol import MeasureDocument, measure, round_length

# Of a triangle so level no way down can be told.
LEVEL = 1e-6
# Of a third of its triangles, a cell is this at least, where they are obtuse.
LEAST_CELL = 0.2
# Of the square root of its area a cell is this wide at least: eight times as long as wide.
LEAST_WIDTH = 0.35


@numba.njit(cache=True, nogil=True)
def _cross(a: F64, b: F64, out: F64) -> None:
    out[0] = a[1] * b[2] - a[2] * b[1]
    out[1] = a[2] * b[0] - a[0] * b[2]
    out[2] = a[0] * b[1] - a[1] * b[0]


@numba.njit(cache=True, nogil=True)
def _give(others: I64, flux: F64, used: I64, n: int, q: int, passing: float, uses: int) -> int:
    """Add what passes to a neighbour, and that it was met; how many neighbours there are."""
    for m in range(n):
        if others[m] == q:
            flux[m] += passing
            used[m] += uses
            return n
    others[n], flux[n], used[n] = q, passing, uses
    return n + 1


@numba.njit(cache=True, nogil=True)
def _uses(others: I64, used: I64, n: int, q: int) -> int:
    for m in range(n):
        if others[m] == q:
            return int(used[m])
    return 0


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _run(positions: F32, offsets: I32, fans: I32, areas: F64, order: I32, fallen: F64, width: F64) -> None:
    """Let fallen (points,) in m² run down, in place; width (points,): metres across which each hands it on."""
    most = 2 * np.diff(offsets).max() if order.shape[0] else 0
    others, flux = np.empty(most, np.int64), np.empty(most, np.float64)
    used = np.empty(most, np.int64)
    u, v, normal, way = np.empty(3), np.empty(3), np.empty(3), np.empty(3)
    edge, out = np.empty(3), np.empty(3)
    for k in range(order.shape[0]):
        p = order[k]
        n = 0
        leaving = 0.0
        # Twice: how far water goes to each neighbour, then over edges with a triangle on one side only.
        for border in range(2):
            for j in range(offsets[p], offsets[p + 1]):
                a, b = fans[j, 0], fans[j, 1]
                if a == p or b == p:  # noqa: PLR1714 - a tuple costs time here
                    continue
                if a == b:
                    if border == 0 and positions[a, 1] < positions[p, 1]:
                        # Over the seam of a map there is no triangle: as wide as a square of the same area.
                        for i in range(3):
                            u[i] = positions[a, i] - positions[p, i]
                        length = np.sqrt(u[0] * u[0] + u[1] * u[1] + u[2] * u[2])
                        n = _give(others, flux, used, n, a, -u[1] / length * np.sqrt(areas[p]), 2)
                    continue
                for i in range(3):
                    u[i], v[i] = positions[a, i] - positions[p, i], positions[b, i] - positions[p, i]
                _cross(u, v, normal)
                doubled = np.sqrt(normal[0] ** 2 + normal[1] ** 2 + normal[2] ** 2)
                if doubled == 0:
                    continue
                for i in range(3):
                    normal[i] /= doubled
                # Steepest down within the triangle; level ones let nothing run.
                for i in range(3):
                    way[i] = normal[i] * normal[1]
                way[1] -= 1.0
                steep = np.sqrt(way[0] ** 2 + way[1] ** 2 + way[2] ** 2)
                if steep < LEVEL:
                    continue
                for i in range(3):
                    way[i] /= steep
                # Cotangents at a and b; the cells' border beside an edge is as long as half the edge times the one opposite.
                uu = u[0] * u[0] + u[1] * u[1] + u[2] * u[2]
                vv = v[0] * v[0] + v[1] * v[1] + v[2] * v[2]
                uv = u[0] * v[0] + u[1] * v[1] + u[2] * v[2]
                for side in range(2):
                    q, sign = (a, -1.0) if side == 0 else (b, 1.0)
                    near = u if side == 0 else v
                    if border == 0:
                        opposite = (vv - uv if side == 0 else uu - uv) / doubled
                        along = near[0] * way[0] + near[1] * way[1] + near[2] * way[2]
                        n = _give(others, flux, used, n, q, 0.5 * opposite * along, 1)
                    elif _uses(others, used, n, q) == 1:
                        # Out over the half of the edge that is the point's.
                        for i in range(3):
                            edge[i] = -0.5 * near[i]
                        _cross(edge, normal, out)
                        passing = sign * (out[0] * way[0] + out[1] * way[1] + out[2] * way[2])
                        leaving += max(0.0, passing)
        total = leaving
        for m in range(n):
            if flux[m] > 0 and positions[others[m], 1] < positions[p, 1]:
                total += flux[m]
        width[p] = total
        if total > 0:
            for m in range(n):
                if flux[m] > 0 and positions[others[m], 1] < positions[p, 1]:
                    fallen[others[m]] += fallen[p] * flux[m] / total


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _cells(positions: F32, offsets: I32, fans: I32, areas: F64, out: F64) -> None:
    for p in range(out.shape[0]):
        total = 0.0
        for j in range(offsets[p], offsets[p + 1]):
            a, b = fans[j, 0], fans[j, 1]
            if a == b or a == p or b == p:  # noqa: PLR1714, SIM109 - a tuple costs time here
                continue
            uu = vv = uv = 0.0
            for i in range(3):
                du, dv = positions[a, i] - positions[p, i], positions[b, i] - positions[p, i]
                uu += du * du
                vv += dv * dv
                uv += du * dv
            doubled = np.sqrt(max(uu * vv - uv * uv, 0.0))
            if doubled > 0:
                # At a, opposite to the edge to b, and at b.
                total += ((uu - uv) * vv + (vv - uv) * uu) / (8 * doubled)
        out[p] = min(max(total, LEAST_CELL * areas[p]), areas[p] / LEAST_CELL)


def cells_of(graph: Graph, areas: F64) -> F64:
    """(points,) m² nearer to each point than to others: Voronoi cells (Meyer et al. 2003, section 3.3), where triangles are
    not too obtuse; then water that crosses their borders and rain that falls on them agree. areas: thirds of triangles.
    """
    out = np.zeros(areas.shape[0])
    _cells(graph.positions, graph.offsets, graph.fans, areas, out)
    return out


def run_down(graph: Graph, areas: F64, fallen: F64) -> tuple[F64, F64]:
    """(points,) what comes to each point or fell on it, of what fell: (points,), in one unit; and the metres across which
    it goes on from there, 0 where it stays. areas: (points,) m².
    """
    out = fallen.copy()
    width = np.zeros(out.shape[0])
    order = np.argsort(-graph.positions[: out.shape[0], 1], kind="stable").astype(np.int32)
    _run(graph.positions, graph.offsets, graph.fans, areas, order, out, width)
    return out, width


class RunsMeasure(MeasureDocument):
    """width: degrees across the sky that the rain comes from, overhead. metres: how far it is evened out."""

    title: ClassVar[str] = "Runs"
    about: ClassVar[str] = (
        "Metres of surface whose rain runs through here: streaks under sills, rims of puddles"
    )
    unit: ClassVar[Unit] = "m"
    ends: ClassVar[tuple[float, float]] = (0.2, 1.5)
    coarsely: ClassVar[bool] = True
    spreads: ClassVar[bool] = False
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            key="width",
            title="Rain's width",
            about="Across the sky that it comes from",
            low=0,
            high=120,
            unit="°",
        ),
        Setting(
            key="metres",
            title="Spread",
            about="How far it is evened out along the surface",
            low=0,
            high=1,
            unit="m",
        ),
    )

    kind: Literal["runs"] = "runs"
    width: Annotated[FiniteFloat, Field(ge=0, le=170)] = 40.0
    metres: Annotated[FiniteFloat, Field(ge=0, le=1e4)] = 0.02

    @classmethod
    def fitted(cls, size: float) -> tuple[Self, tuple[float, float]]:
        return cls(metres=round_length(size / 400)), (round_length(size / 20), round_length(size / 3))


def _on(body: Body, wanted: RunsMeasure, progress: Progress) -> F32:
    rain = OpennessMeasure(azimuth=0, tilt=90, width=wanted.width, rays=8, metres=1e5)
    hit = body.to_points(openness_over(body, rain, progress))
    areas = cells_of(body.graph, body.areas_of_points)
    up = np.clip(body.points.normals[:, 1].astype(np.float64), 0, 1)
    fallen = areas * hit * up
    gathered, width = run_down(laid_to_falls(body.graph), areas, fallen)
    # Where it stays, in a hollow, it is as wide as its area is long; where next to nothing goes on, nearly so.
    long = np.sqrt(np.maximum(areas, 1e-12))
    across = np.where(width > 0, np.maximum(width, LEAST_WIDTH * long), long)
    # In the middle of its cell half of what falls on that has come together.
    return body.of_points(body.spread((gathered - 0.5 * fallen) / across, wanted.metres))


RUNS = measure(RunsMeasure, on=_on)
