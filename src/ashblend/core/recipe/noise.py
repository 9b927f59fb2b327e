"""Noise over a surface as nodes: for sources, for warping and for breaking up."""

from ashblend.core.noise import NoiseKind
from ashblend.core.recipe.lowering import Lowering, name_of
from ashblend.core.tree.host import HostExpression, fact, host, pointer
from ashblend.core.tree.node import Node, Noise, Parameter

# When counting features from the world's origin starts anew: half of it in float32 and times 128, for the finest octave,
# in 32 bits is a whole number still. Only what is farther out than eight million features meets it.
ROUND = 2.0**24


def _round_zero(count: HostExpression) -> HostExpression:
    """A whole number of features, less whole turns of ROUND, nearest to zero."""
    turn = host("add", host("divide", count, ROUND), 0.5)
    return host("multiply", host("subtract", host("fract", turn), 0.5), ROUND)


def features_over(at: Lowering, path: str, scale: str = "metres") -> tuple[Node, Node]:
    """(3) place in features, and (3) whole ones to add, so that a pattern stays where it is in the world.

    path: of what says how large features are, in metres, as `scale`. Whole features between the world's origin and the
    surface's are counted apart: see `tree.Noise`.
    """
    size = pointer(f"{path}/{scale}")
    features = [host("divide", fact(f"origin_{axis}"), size) for axis in "xyz"]
    name = name_of(path)
    whole = Parameter(f"{name}_whole", tuple(_round_zero(host("floor", f)) for f in features))
    rest = Parameter(f"{name}_rest", tuple(host("fract", f) for f in features))
    return at.stream("position", 3) / at.number(f"{path}/{scale}") + rest, whole


def noise_over(
    at: Lowering, path: str, *, seed: int, octaves: int, kind: NoiseKind = "gradient", scale: str = "metres"
) -> Node:
    """0..1. path: of what says how large its features are, in metres, as `scale`."""
    return Noise(*features_over(at, path, scale), seed, octaves, kind)
