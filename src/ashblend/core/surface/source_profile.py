"""How the values of a source are spread over a surface: what a ramp is drawn on."""

from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import F64
from ashblend.core.recipe.document import Term
from ashblend.core.recipe.lower import lower_source, lower_term
from ashblend.core.recipe.lowering import Lowering
from ashblend.core.sites.protocol import windows
from ashblend.core.surface.at_places import AtSites, ReadTextures
from ashblend.core.surface.convert import Sets
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.shape import Shape

BINS = 48
# Of values with a long tail the picture shows all but so much of the area at that end: where they lie more than so many
# times as far out as the rest.
TAIL, FAR_OUT = 0.02, 3.0
# Sites that are asked, at most: more change no picture of this size.
ENOUGH = 100_000


@dataclass(frozen=True)
class SourceProfile:
    """low, high: the ends of the picture, in the source's own unit: the least and greatest value, or where a long tail
    begins. shares: (BINS,) of the area, from low to high, with the tails in the first and last. quarter, middle, three_quarters: that so much of the area lies below. area: in m². covered: how much of it
    the term takes in, by its ramp and curve.
    """

    low: float
    high: float
    shares: F64
    quarter: float
    middle: float
    three_quarters: float
    area: float
    covered: float


def _without_tails(least: float, greatest: float, begun: float, ended: float) -> tuple[float, float]:
    """begun, ended: between which all but the tails lie."""
    width = ended - begun
    if width <= 0:
        return least, greatest
    low = begun if begun - least > FAR_OUT * width else least
    high = ended if greatest - ended > FAR_OUT * width else greatest
    return low, high


def source_profile(
    shape: Shape, sets: Sets, found: OpenSet, term: Term, textures: ReadTextures
) -> SourceProfile:
    """Of a term's source where its warp leads, at sites of a set. Raises Refusal."""
    lowering = Lowering()
    value = lower_source(term, "/term", lowering)
    document = {"term": term.model_dump(mode="json")}
    asked = AtSites(shape, sets, found, value.node, lowering, document, textures)
    whole = Lowering()
    even = term.model_copy(update={"uneven": None})
    taken = AtSites(shape, sets, found, lower_term(even, "/term", whole), whole, document, textures)
    step = max(1, found.sites.count // ENOUGH)
    values, areas, taken_in = [], [], 0.0
    for window in windows(found.sites):
        part = found.sites.window(window.sites[::step])
        values.append(asked.at(part))
        areas.append(part.areas.astype(np.float64))
        taken_in += float(np.clip(taken.at(part), 0, 1).astype(np.float64) @ areas[-1])
    held = value.told(np.concatenate(values).astype(np.float64), shape.inputs(found.level).facts)
    area = np.concatenate(areas)
    order = np.argsort(held)
    below = np.cumsum(area[order])
    at = np.searchsorted(below, np.array([TAIL, 0.25, 0.5, 0.75, 1 - TAIL]) * below[-1])
    begun, quarter, middle, three_quarters, ended = (float(v) for v in held[order][at.clip(0, held.size - 1)])
    low, high = _without_tails(float(held.min()), float(held.max()), begun, ended)
    bounds = (low, high) if high > low else (low - 0.5, low + 0.5)
    shares, _ = np.histogram(held.clip(*bounds), BINS, bounds, weights=area)
    total = max(float(below[-1]), 1e-12)
    # Of large surfaces some sites stand for all.
    whole_area = total * found.sites.count / held.size
    return SourceProfile(
        low, high, shares / total, quarter, middle, three_quarters, whole_area, taken_in / total
    )
