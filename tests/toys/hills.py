"""A toy kind of site: a square field of heights, which keeps no positions, no weld and no links.

Numbered row by row in runs. Everything a brush or a fill asks is worked out from the heights.
"""

from collections.abc import Callable

import numpy as np

from ashblend.core.sites.layout import runs
from ashblend.core.sites.patch import Graph, Patch, Places, Points, Sample, Window

AROUND = ((1, 0), (0, 1), (-1, 0), (0, -1))


class Hills:
    """heights: (side, side) metres, one each `spacing` metres; x across, z down."""

    lost = 0.0

    def __init__(self, heights: np.ndarray, spacing: float) -> None:
        self.heights = heights
        self.spacing = spacing
        self.side = heights.shape[0]
        self.count = heights.size
        self.layout = runs(self.count)

    def neighbourhood(self) -> "Hills":
        return self

    def _places(self, sites) -> np.ndarray:
        row, column = np.divmod(np.asarray(sites, np.int64), self.side)
        return np.stack([column * self.spacing, self.heights[row, column], row * self.spacing], axis=1)

    def window(self, sites) -> Window:
        row, column = np.divmod(np.asarray(sites, np.int64), self.side)
        dz, dx = np.gradient(self.heights, self.spacing)
        normals = np.stack([-dx[row, column], np.ones(len(row)), -dz[row, column]], axis=1)
        areas = np.linalg.norm(normals, axis=1) * self.spacing**2
        normals /= np.linalg.norm(normals, axis=1, keepdims=True)
        return Window(sites, self._places(sites).astype(np.float32), normals.astype(np.float32), areas)

    def in_tile(self, tile: int):
        span = self.layout.span(tile)
        return np.arange(span.start, span.stop, dtype=np.uint32)

    def _patch(self, sites, distances) -> Patch:
        window = self.window(sites)
        ids = sites.astype(np.int32)
        one_each = np.arange(len(ids) + 1, dtype=np.int32)
        return Patch(ids, one_each, sites, window.positions, window.normals, distances)

    def ball(self, centre, radius: float) -> Patch:
        reach = int(radius / self.spacing) + 1
        column, row = (round(float(c) / self.spacing) for c in (centre[0], centre[2]))
        rows = np.arange(max(0, row - reach), min(self.side, row + reach + 1))
        columns = np.arange(max(0, column - reach), min(self.side, column + reach + 1))
        sites = (rows[:, None] * self.side + columns).reshape(-1).astype(np.uint32)
        apart = np.linalg.norm(self._places(sites) - np.asarray(centre, float), axis=1).astype(np.float32)
        inside = apart <= radius
        return self._patch(sites[inside], apart[inside])

    def graph(self, patch: Patch, rim: bool) -> Graph:
        """The four triangles round each site; those just outside the patch as its rim."""
        rows = {int(i): k for k, i in enumerate(patch.ids)}
        outside: list[int] = []

        def row_of(y: int, x: int) -> int:
            if not (0 <= x < self.side and 0 <= y < self.side):
                return -2
            number = y * self.side + x
            if number not in rows:
                if not rim:
                    return -1
                rows[number] = len(patch.ids) + len(outside)
                outside.append(number)
            return rows[number]

        offsets, fans = [0], []
        for number in patch.ids.tolist():
            y, x = divmod(number, self.side)
            ring = [row_of(y + dy, x + dx) for dy, dx in AROUND]
            fans += [(a, b) for a, b in zip(ring, ring[1:] + ring[:1], strict=True) if -2 not in (a, b)]
            offsets.append(len(fans))
        beyond = np.array(outside, np.uint32)
        positions = np.concatenate([patch.positions, self._places(beyond).astype(np.float32)])
        points = Points(beyond.astype(np.int32), np.arange(len(beyond) + 1, dtype=np.int32), beyond)
        shape = np.array(fans, np.int32).reshape(-1, 2)
        return Graph(np.array(offsets, np.int32), shape, positions.astype(np.float32), points)

    def everything(self):
        patch = self._patch(np.arange(self.count, dtype=np.uint32), np.zeros(self.count, np.float32))
        return patch, self.graph(patch, False)

    def on_surface(self, sites) -> Places:
        """Each two triangles of a square by its first corner."""
        row, column = np.divmod(np.asarray(sites, np.int64), self.side)
        faces = 2 * (np.minimum(row, self.side - 2) * (self.side - 1) + np.minimum(column, self.side - 2))
        return Places(faces.astype(np.int32), np.tile([1.0, 0.0, 0.0], (len(row), 1)))

    def sample(self, places: Places) -> Sample:
        row, column = np.divmod(places.faces.astype(np.int64) // 2, self.side - 1)
        corners = np.stack([(row + a) * self.side + column + b for a, b in ((0, 0), (1, 0), (0, 1))], axis=1)
        return Sample(corners.astype(np.int32), places.shares)

    def on_faces(self, faces) -> Callable:
        marked = np.zeros(self.count, bool)
        row, column = np.divmod(np.flatnonzero(faces) // 2, self.side - 1)
        for a in (0, 1):
            for b in (0, 1):
                marked[(row + a) * self.side + column + b] = True
        return lambda sites: marked[sites]

    def faces_of(self, sites):
        faces = np.zeros(2 * (self.side - 1) ** 2, bool)
        faces[self.on_surface(sites).faces] = True
        return faces

    def border(self, faces):
        raise ValueError("hills have no groups")

    def open_edges(self):
        row, column = np.divmod(np.arange(self.count), self.side)
        last = self.side - 1
        return np.flatnonzero((row == 0) | (column == 0) | (row == last) | (column == last)).astype(np.uint32)

    def image(self, read):
        return read(np.arange(self.count, dtype=np.uint32)).reshape(self.side, self.side)

    def shown_by(self, sites):
        return np.empty(0, np.uint32), np.empty(0, np.uint32)

    def shown_by_tile(self, tile: int):
        return self.shown_by(None)
