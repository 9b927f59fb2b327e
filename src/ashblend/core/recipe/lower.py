"""From a recipe to the tree.

m = 0; for each term s = invert?(curve(ramp(source; low, high))), then m ← mix(m, op(m, s), amount).
"""

from collections.abc import Callable

from ashblend.core.recipe.document import Recipe, Term, Warp
from ashblend.core.recipe.lowering import Lowering, name_of
from ashblend.core.recipe.noise import noise_over
from ashblend.core.recipe.sources.protocol import SourceValue
from ashblend.core.recipe.sources.registry import SOURCES
from ashblend.core.tree.host import pointer
from ashblend.core.tree.node import Constant, Lookup, Node, Table
from ashblend.core.tree.operations import clamp, mix, only_where, operation, vector

OPS: dict[str, Callable[[Node, Node], Node]] = {
    "set": lambda _, s: s,
    "multiply": lambda m, s: m * s,
    "add": lambda m, s: m + s,
    "subtract": lambda m, s: m - s,
    "max": lambda m, s: operation("max", m, s),
    "min": lambda m, s: operation("min", m, s),
    "screen": lambda m, s: 1.0 - (1.0 - m) * (1.0 - s),
}
# Of nothing these make nothing, whatever the term.
STAYS_NOTHING = ("multiply", "min")
NO_WIDTH = 1e-9
NOTHING = Constant(0.0)


def ramp(value: SourceValue, path: str, at: Lowering) -> Node:
    """0 to 1 between the term's ends; where they are alike, a clean step there."""
    low = at.number(f"{path}/low", value.measured(pointer(f"{path}/low")))
    high = at.number(f"{path}/high", value.measured(pointer(f"{path}/high")))
    width = high - low
    is_step = operation("less", operation("abs", width), NO_WIDTH)
    sloped = clamp((value.node - low) / operation("select", is_step, 1.0, width), 0, 1)
    below = operation("less", low, value.node) if value.falls else operation("less", value.node, low)
    return operation("select", is_step, 1.0 - below, sloped)


def _displacement(warp: Warp, path: str, at: Lowering) -> Node:
    """(3) metres: noise of its own along each axis."""
    parts = [noise_over(at, path, seed=3 * warp.seed + axis, octaves=2) - 0.5 for axis in range(3)]
    return vector(*parts) * (at.number(f"{path}/by") * 2.0)


def lower_source(term: Term, path: str, at: Lowering) -> SourceValue:
    """What a term begins with, where its warp leads."""
    if term.warp is not None and term.source.placed:
        at = at.moved_by(_displacement(term.warp, f"{path}/warp", at))
    return SOURCES[term.source.kind](term.source, f"{path}/source", at)


def lower_term(term: Term, path: str, at: Lowering) -> Node:
    """One term by itself, 0..1, before its op."""
    source = lower_source(term, path, at)
    # As it is: a painted mask alone must cost no more than the channel.
    plain = source.whole and (term.low, term.high) == (0.0, 1.0)
    value = source.node if plain else ramp(source, path, at)
    if term.curve is not None:
        value = Lookup(Table(name_of(f"{path}/curve"), f"{path}/curve", "curve", 1), value)
    if term.invert:
        value = 1.0 - value
    if term.uneven is not None:
        here = f"{path}/uneven"
        noise = noise_over(at, here, seed=term.uneven.seed, octaves=3)
        value = value * (1.0 - at.number(f"{here}/amount") * (1.0 - noise))
    return value


def _costs_much(term: Term) -> bool:
    return (
        term.warp is not None
        or term.uneven is not None
        or term.source.kind in ("noise", "material", "picture")
    )


def lower_recipe(recipe: Recipe, path: str, at: Lowering) -> Node:
    """The whole recipe, 0..1. path: where it stands in the document.

    What is nothing and stays nothing is not worked out: noise is most of what a mask costs.
    """
    kept_within = all(term.op not in ("add", "subtract") for term in recipe.terms if term.on)
    mask: Node = NOTHING
    for number, term in enumerate(recipe.terms):
        if not term.on or term.amount == 0:
            continue
        here = f"{path}/terms/{number}"
        wanted = OPS[term.op](mask, lower_term(term, here, at))
        made = wanted if term.amount == 1 else mix(mask, wanted, at.number(f"{here}/amount"))
        if term.op in STAYS_NOTHING and kept_within and _costs_much(term):
            made = only_where(here, mask, made, mask)
        mask = made
    return mask if kept_within else clamp(mask, 0, 1)
