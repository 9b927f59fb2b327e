"""Rays from sites over a surface, by Embree (Wald et al. 2014, ACM Trans. Graphics 33(4)).

Directions come from a low-discrepancy sequence, the same for every site but for a shift by its number (Cranley and
Patterson 1976, SIAM J. Numer. Anal. 13(6)), so that the same input gives the same bytes and neighbours differ by noise
and not by bands. Sites at one place have one number: else a seam would show as a step of that noise. Two Python
threads, as the binding lets go of the interpreter.

Tried: a set of directions of its own for each site, which took as long to make as to trace; the same set for all, which
leaves bands on curved parts.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, I32
from ashblend.core.progress import Progress
from ashblend.core.runner import threaded
from ashblend.core.setting import Setting

# Rays in one piece of work: enough to keep Embree busy, and 12 MB of directions.
AT_ONCE = 1 << 20
FAR = np.float32(1e30)


@numba.njit(cache=True, inline="always")
def shift_of(site: int) -> tuple[float, float]:
    """Two numbers in 0..1 by a site's number. Source: Roberts (2018), the R2 sequence; common practice."""
    a = (0.5 + (site + 1) * 0.7548776662466927) % 1.0
    b = (0.5 + (site + 1) * 0.5698402909980532) % 1.0
    return a, b


@numba.njit(cache=True, inline="always")
def frame_of(x: float, y: float, z: float) -> tuple[float, float, float, float, float, float]:
    """Two unit vectors across a unit vector. Source: Duff et al. (2017), J. Computer Graphics Techniques 6(1)."""
    sign = 1.0 if z >= 0 else -1.0
    a = -1.0 / (sign + z)
    b = x * y * a
    return 1.0 + sign * x * x * a, sign * b, -sign * x, b, sign + y * y * a, -y


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _directions(
    places: F32,
    axes: F32,
    numbers: I32,
    count: int,
    spread: float,
    cosine: bool,
    lift: F32,
    out_o: F32,
    out_d: F32,
) -> None:
    """Fill origins and directions (k · count, 3) around axes (k, 3).

    spread: cosine of the cone's half angle. cosine: weighted by the cosine, else even over the cone. The points are
    Hammersley's (Niederreiter 1992, ch. 3).
    """
    for k in range(places.shape[0]):
        ax, ay, az = float(axes[k, 0]), float(axes[k, 1]), float(axes[k, 2])
        tx, ty, tz, bx, by, bz = frame_of(ax, ay, az)
        sa, sb = shift_of(numbers[k])
        for i in range(count):
            u = ((i + 0.5) / count + sa) % 1.0
            bits = np.uint32(i)
            bits = ((bits & np.uint32(0x55555555)) << np.uint32(1)) | (
                (bits & np.uint32(0xAAAAAAAA)) >> np.uint32(1)
            )
            bits = ((bits & np.uint32(0x33333333)) << np.uint32(2)) | (
                (bits & np.uint32(0xCCCCCCCC)) >> np.uint32(2)
            )
            bits = ((bits & np.uint32(0x0F0F0F0F)) << np.uint32(4)) | (
                (bits & np.uint32(0xF0F0F0F0)) >> np.uint32(4)
            )
            bits = ((bits & np.uint32(0x00FF00FF)) << np.uint32(8)) | (
                (bits & np.uint32(0xFF00FF00)) >> np.uint32(8)
            )
            bits = (bits << np.uint32(16)) | (bits >> np.uint32(16))
            v = (float(bits) * 2.3283064365386963e-10 + sb) % 1.0
            # By the cosine: even over the disc that the cone is seen from above.
            c = np.sqrt(1.0 - u * (1.0 - spread * spread)) if cosine else 1.0 - u * (1.0 - spread)
            s = np.sqrt(max(0.0, 1.0 - c * c))
            x, y = s * np.cos(2 * np.pi * v), s * np.sin(2 * np.pi * v)
            n = k * count + i
            out_d[n, 0] = x * tx + y * bx + c * ax
            out_d[n, 1] = x * ty + y * by + c * ay
            out_d[n, 2] = x * tz + y * bz + c * az
            out_o[n, 0] = places[k, 0] + lift[k, 0]
            out_o[n, 1] = places[k, 1] + lift[k, 1]
            out_o[n, 2] = places[k, 2] + lift[k, 2]


# Rays of a look that is shown first, and of one at a coarse stand-in.
ROUGHLY, GLIMPSED = 4, 16


def rays_setting(low: int, high: int) -> Setting:
    """How many rays a measure sends from each site."""
    return Setting(
        key="rays",
        title="Rays",
        about="More are smoother and take longer",
        low=low,
        high=high,
        logarithmic=True,
        whole=True,
    )


# What rays are asked: from origins, in directions (n, 3).
Told = TypeVar("Told")
Asked = Callable[[F32, F32], Told]
# What is made of a piece's rays: origins, directions and what they told, all in rows of `count` a site.
Summed = Callable[[slice, F32, F32, Told], F64]


@dataclass(frozen=True, eq=False)
class Spots:
    """Where rays begin: places and normals (k, 3), and numbers (k,) that are the same for sites at one place."""

    places: F32
    normals: F32
    numbers: I32


class Rays:
    """Triangles (n, 3, 3) that rays meet."""

    def __init__(self, corners: F32) -> None:
        from embreex import rtcore_scene
        from embreex.mesh_construction import TriangleMesh

        self._scene = rtcore_scene.EmbreeScene()
        self._empty = corners.shape[0] == 0
        flat = np.ascontiguousarray(corners.reshape(-1, 3), np.float32)
        if not self._empty:
            # The scene reads these as long as it lives.
            self._mesh = TriangleMesh(
                self._scene, flat, np.arange(flat.shape[0], dtype=np.int32).reshape(-1, 3)
            )
            # Built now, and not by the first of two threads that ask.
            self._scene.run(flat[:1], flat[:1] + np.float32(1), query="OCCLUDED")

    def distances(self, origins: F32, directions: F32) -> F32:
        """(n,) how far along each ray it meets something; FAR for nothing. May be asked by several threads."""
        if self._empty:
            return np.full(origins.shape[0], FAR, np.float32)
        return np.asarray(self._scene.run(origins, directions, query="DISTANCE"), np.float32)

    def met(self, origins: F32, directions: F32) -> tuple[F32, I32]:
        """(n,) how far along each ray it meets something, and which triangle; FAR and −1 for nothing."""
        if self._empty:
            return self.distances(origins, directions), np.full(origins.shape[0], -1, np.int32)
        told = self._scene.run(origins, directions, query="INTERSECT", output=True)
        return np.asarray(told["tfar"], np.float32), np.asarray(told["primID"], np.int32)

    def over(
        self,
        asked: Asked[Told],
        spots: Spots,
        axes: F32,
        count: int,
        spread: float,
        cosine: bool,
        lifted: float,
        summed: Summed[Told],
        progress: Progress,
    ) -> F64:
        """(k,) what `summed` makes of what `count` rays around each axis (k, 3) are asked: `distances` or what they `met`.

        lifted: metres over the surface where rays begin, along the normals; negative under it.
        """
        places, numbers = spots.places, spots.numbers
        total = places.shape[0]
        out = np.empty(total)
        step = max(1, AT_ONCE // count)
        lift = (spots.normals * np.float32(lifted)).astype(np.float32)

        def piece(begin: int) -> None:
            span = slice(begin, min(begin + step, total))
            rays = (span.stop - begin) * count
            origins, directions = np.empty((rays, 3), np.float32), np.empty((rays, 3), np.float32)
            _directions(
                places[span],
                axes[span],
                numbers[span],
                count,
                spread,
                cosine,
                lift[span],
                origins,
                directions,
            )
            out[span] = summed(span, origins, directions, asked(origins, directions))

        threaded(piece, range(0, total, step), progress)
        return out
