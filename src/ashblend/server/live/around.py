"""What stands around an open surface, for measures that ask."""

import hashlib
from uuid import UUID

import numpy as np

from ashblend.core.arrays import F32
from ashblend.core.surface.neighbours import placed_corners, stands_at
from ashblend.core.surface.shape import Shape
from ashblend.core.survey.body import nobody
from ashblend.store.database import Sessions
from ashblend.store.states import read_surface_mesh
from ashblend.store.surfaces import get_surface
from ashblend.store.surroundings import surroundings_of


def look_around(sessions: Sessions, ident: UUID, shape: Shape) -> None:
    """Have the measures of a surface's shape know what stands around it now. Meshes are read when one asks."""
    with sessions() as session:
        _, document = surroundings_of(session, ident)
        shapes = [(str(n.surface), get_surface(session, n.surface).shape) for n in document.neighbours]
    places = [stands_at(shape, neighbour) for neighbour in document.neighbours]
    told = f"{document.model_dump_json()}{shapes}{places}" if places else ""
    name = hashlib.sha256(told.encode()).hexdigest()[:16] if told else ""

    def corners() -> F32:
        with sessions() as session:
            meshes = [
                read_surface_mesh(session, get_surface(session, n.surface)) for n in document.neighbours
            ]
        placed = [
            placed_corners(mesh, at, n.turn)
            for mesh, at, n in zip(meshes, places, document.neighbours, strict=True)
        ]
        return np.concatenate(placed) if placed else nobody()

    shape.measures.stand_amid(name, corners)
