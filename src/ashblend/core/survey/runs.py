"""Where water that falls on the surface runs: streaks under sills, rims of puddles.

From the highest point down, each hands what fell on it and what came to it on to its lower neighbours. Between two points
goes what crosses the border of their Voronoi cells along the steepest way down of each triangle: a first-order finite
volume of the water's steady flow (for example LeVeque 2002, "Finite Volume Methods for Hyperbolic Problems", section 20).
Level parts drain over their rims (flats.py). Told as metres of surface that drain through a metre of width across
the flow. What falls is what the surface shows to the rain, less what is hidden from it.

Tried: shares by the steepness to the power 1.1 (Freeman 1991, Computers & Geosciences 17(3)) and a width from a
point's area, which on a plane gave half or three times the answer where triangles are long, and finer ones did not help.
"""

from typing import Annotated, ClassVar, Literal, Self

import numba
import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32, F64, I32, I64, U32
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.sites.patch import Graph
from ashblend.core.source_document import Unit
from ashblend.core.survey.body import Body
from ashblend.core.survey.flats import laid_to_falls
from ashblend.core.survey.openness import OpennessMeasure, openness_over
from ashblend.core.survey.protocol import MeasureDocument, measure, round_length

# Of a triangle so level no way down can be told.
LEVEL = 1e-6
# Of a third of its triangles, a cell is this at least, where they are obtuse.
LEAST_CELL = 0.2
# Of the square root of its area a cell is this wide at least: eight times as long as wide.
LEAST_WIDTH = 0.35


@numba.njit(cache=True, nogil=True)
def _give(others: U32, flux: F64, used: I64, n: int, q: int, passing: float, uses: int) -> int:
    """Add what passes to a neighbour, and that it was met; how many neighbours there are."""
    for m in range(n):
        if others[m] == q:
            flux[m] += passing
            used[m] += uses
            return n
    others[n], flux[n], used[n] = q, passing, uses
    return n + 1


@numba.njit(cache=True, nogil=True)
def _any_once(used: I64, n: int) -> bool:
    once = False
    for m in range(n):
        once |= used[m] == 1
    return once


@numba.njit(cache=True, nogil=True)
def _uses(others: U32, used: I64, n: int, q: int) -> int:
    for m in range(n):
        if others[m] == q:
            return int(used[m])
    return 0


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _run(positions: F32, offsets: U32, fans: U32, areas: F64, order: U32, fallen: F64, width: F64) -> None:
    """Let fallen (points,) in m² run down, in place; width (points,): metres across which each hands it on."""
    one = np.uint32(1)
    most = 2 * np.diff(offsets).max() if order.shape[0] else 0
    others, flux = np.empty(most, np.uint32), np.empty(most, np.float64)
    used = np.empty(most, np.int64)
    for k in range(order.shape[0]):
        p = order[k]
        px, py, pz = positions[p, 0], positions[p, 1], positions[p, 2]
        n = 0
        leaving = 0.0
        # Twice: how far water goes to each neighbour, then over edges with a triangle on one side only.
        for border in range(2):
            if border == 1 and not _any_once(used, n):
                break
            for j in range(offsets[p], offsets[p + one]):
                a, b = fans[j, 0], fans[j, 1]
                if a == p or b == p:  # noqa: PLR1714 - a tuple costs time here
                    continue
                ux, uy = float(positions[a, 0] - px), float(positions[a, 1] - py)
                uz = float(positions[a, 2] - pz)
                if a == b:
                    if border == 0 and uy < 0:
                        # Over the seam of a map there is no triangle: as wide as a square of the same area.
                        length = np.sqrt(ux * ux + uy * uy + uz * uz)
                        n = _give(others, flux, used, n, a, -uy / length * np.sqrt(areas[p]), 2)
                    continue
                vx, vy = float(positions[b, 0] - px), float(positions[b, 1] - py)
                vz = float(positions[b, 2] - pz)
                nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
                doubled = np.sqrt(nx * nx + ny * ny + nz * nz)
                if doubled == 0:
                    continue
                nx, ny, nz = nx / doubled, ny / doubled, nz / doubled
                # Steepest down within the triangle; level ones let nothing run.
                wx, wy, wz = nx * ny, ny * ny - 1.0, nz * ny
                steep = np.sqrt(wx * wx + wy * wy + wz * wz)
                if steep < LEVEL:
                    continue
                wx, wy, wz = wx / steep, wy / steep, wz / steep
                if border == 0:
                    # Cotangents at a and b; the cells' border beside an edge is as long as half the edge times the one
                    # opposite.
                    uu, vv = ux * ux + uy * uy + uz * uz, vx * vx + vy * vy + vz * vz
                    uv = ux * vx + uy * vy + uz * vz
                    to_a, to_b = ux * wx + uy * wy + uz * wz, vx * wx + vy * wy + vz * wz
                    n = _give(others, flux, used, n, a, 0.5 * ((vv - uv) / doubled) * to_a, 1)
                    n = _give(others, flux, used, n, b, 0.5 * ((uu - uv) / doubled) * to_b, 1)
                    continue
                # Out over the half of the edge that is the point's: across it, in the triangle's plane.
                if _uses(others, used, n, a) == 1:
                    ox, oy, oz = uy * nz - uz * ny, uz * nx - ux * nz, ux * ny - uy * nx
                    leaving += max(0.0, 0.5 * (ox * wx + oy * wy + oz * wz))
                if _uses(others, used, n, b) == 1:
                    ox, oy, oz = vy * nz - vz * ny, vz * nx - vx * nz, vx * ny - vy * nx
                    leaving += max(0.0, -0.5 * (ox * wx + oy * wy + oz * wz))
        total = leaving
        for m in range(n):
            if flux[m] > 0 and positions[others[m], 1] < py:
                total += flux[m]
        width[p] = total
        if total > 0:
            for m in range(n):
                if flux[m] > 0 and positions[others[m], 1] < py:
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
    order = np.argsort(-graph.positions[: out.shape[0], 1], kind="stable").astype(np.uint32)
    _run(graph.positions, graph.offsets.view(np.uint32), graph.fans.view(np.uint32), areas, order, out, width)
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
