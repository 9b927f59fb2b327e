"""What is at a place: height, slope, channel values, every layer's share, and what hides what."""

from dataclasses import dataclass
from uuid import UUID

import numpy as np

from ashblend.core.arrays import F64
from ashblend.core.sites.patch import Places
from ashblend.core.surface.blend_state import BlendState
from ashblend.core.surface.convert import Sets, four_weights_at
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.shape import Shape

# A layer hides another when it covers that much of a place where the other would be well there, but little is left.
# By eye, on the sample surfaces: more than half, half and a quarter are what one would call so. Only a sentence hangs on them.
HIDES, WOULD_SHOW, LITTLE_LEFT = 0.6, 0.5, 0.25


@dataclass(frozen=True)
class LayerHere:
    """layer: number in the document, −1 the ground."""

    layer: int
    weight: float
    share: float


@dataclass(frozen=True)
class Hiding:
    """Names of a layer and of one below it that would be well seen here if the first did not cover it."""

    above: str
    below: str


@dataclass(frozen=True)
class Probed:
    """height: metres. slope: degrees. values: by channel set."""

    height: float
    slope: float
    values: dict[UUID, list[float]]
    layers: list[LayerHere]
    hiding: Hiding | None


def hiding(weights: F64, shares: F64, names: list[str]) -> Hiding | None:
    """Whether a layer hides another at a place, looked for from the top. All (layers,), the ground first."""
    for above in range(weights.shape[0] - 1, 0, -1):
        if weights[above] <= HIDES:
            continue
        for below in range(above - 1, 0, -1):
            if weights[below] > WOULD_SHOW and shares[below] < LITTLE_LEFT:
                return Hiding(names[above], names[below])
    return None


def probe(
    shape: Shape, sets: Sets, blend: BlendState, level: int, triangle: int, shares: tuple[float, float, float]
) -> Probed:
    """What is at a place inside a triangle of a level."""
    places = Places(np.array([triangle], np.int32), np.array([shares], np.float64))
    inputs = shape.inputs(level)
    place = inputs.on_triangles(places.faces, places.shares)
    answer = blend.shares(shape, sets, level, places)
    return Probed(
        height=float(place["position"][0, 1] + inputs.origin[1]),
        slope=float(np.degrees(np.arccos(np.clip(place["normal"][0, 1], -1, 1)))),
        values={
            ident: four_weights_at(found, places)[0, : len(found.channels)].tolist()
            for ident, found in sets.items()
            if found.kind.shown_on(level)
        },
        layers=[
            LayerHere(layer, float(answer.weights[0, i]), float(answer.shares[0, i]))
            for i, layer in enumerate(blend.tree.layers)
        ],
        hiding=hiding(answer.weights[0], answer.shares[0], blend.names),
    )


def sites_under(found: OpenSet, centre: F64, normal: F64, radius: float, reach: str, facing: float) -> int:
    """How many sites of a set a brush would reach."""
    return int(found.reach(reach).around(centre, normal, radius, facing).sites.shape[0])


def place_of(shape: Shape, level: int, triangle: int, shares: tuple[float, float, float]) -> tuple[F64, F64]:
    """Position in the world and unit normal (3,) at a place."""
    inputs = shape.inputs(level)
    place = inputs.on_triangles(np.array([triangle]), np.array([shares], np.float64))
    return place["position"][0] + inputs.origin, place["normal"][0]
