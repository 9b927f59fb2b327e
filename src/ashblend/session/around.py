"""What stands around an open surface, for measures that ask."""

import hashlib
from uuid import UUID

import numpy as np

from ashblend.core.arrays import F32
from ashblend.core.surface.neighbours import Neighbour, Surroundings, placed_corners, stands_at
from ashblend.core.surface.shape import Shape
from ashblend.core.survey.around import Around
from ashblend.store.database import Sessions
from ashblend.store.states import read_surface_mesh
from ashblend.store.surfaces import get_surface
from ashblend.store.surroundings import surroundings_of

# A neighbour, where its origin is, and the revision of its shape.
Standing = tuple[Neighbour, tuple[float, float, float], int]


def _name_of(standing: list[Standing]) -> str:
    document = Surroundings(neighbours=tuple(n for n, _, _ in standing))
    shapes = [(str(n.surface), shape) for n, _, shape in standing]
    told = f"{document.model_dump_json()}{shapes}{[at for _, at, _ in standing]}"
    return hashlib.sha256(told.encode()).hexdigest()[:16]


def look_around(sessions: Sessions, ident: UUID, shape: Shape) -> None:
    """Have the measures of a surface's shape know what stands around it now. Meshes are read when one asks."""
    with sessions() as session:
        _, document = surroundings_of(session, ident)
        shapes = [get_surface(session, n.surface).shape for n in document.neighbours]
    stand = [(n, stands_at(shape, n), known) for n, known in zip(document.neighbours, shapes, strict=True)]

    def chosen(other: UUID | None) -> list[Standing]:
        return [standing for standing in stand if other in (None, standing[0].surface)]

    def corners(other: UUID | None) -> F32:
        with sessions() as session:
            meshes = [
                (read_surface_mesh(session, get_surface(session, n.surface)), at, n.turn)
                for n, at, _ in chosen(other)
            ]
        placed = [placed_corners(*standing) for standing in meshes]
        return np.concatenate([np.empty((0, 3, 3), np.float32), *placed])

    others = {n.surface for n in document.neighbours}
    whom: list[UUID | None] = [None, *others] if others else []
    shape.measures.stand_amid(Around({other: _name_of(chosen(other)) for other in whom}, corners))
