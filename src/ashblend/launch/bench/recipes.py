"""Recipes as undercoats, over a whole map."""

import resource
from uuid import UUID

import numpy as np

from ashblend.core.arrays import F32
from ashblend.core.channels.channel import empty_channel
from ashblend.core.noise import GRADIENT, octave_noise
from ashblend.core.recipe.document import Recipe
from ashblend.core.runner import threaded
from ashblend.core.sets.document import ChannelDocument, ChannelSetDocument
from ashblend.core.surface.kinds.texels import TexelSites
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.shapes import shape_of
from ashblend.core.surface.undercoat import measured
from ashblend.launch.bench.ground import ground, timed


def recipe_over(low: float, high: float, metres: float) -> Recipe:
    """Slope, height between two metres, and five octaves of noise."""
    return Recipe.model_validate(
        {
            "terms": [
                {"source": {"kind": "slope"}, "low": 5, "high": 25},
                {"source": {"kind": "height"}, "low": low, "high": high, "op": "multiply"},
                {
                    "source": {"kind": "noise", "metres": metres, "octaves": 5},
                    "low": 0.3,
                    "high": 0.7,
                    "op": "multiply",
                },
            ]
        }
    )


def _noise_alone(side: int, extent: float, metres: float, out: F32) -> None:
    still, whole = np.zeros(side), np.zeros(side, np.uint32)
    x = np.arange(side) * extent / side / metres

    def rows(begin: int) -> None:
        for row in range(begin, min(begin + 64, side)):
            z = np.full(side, row * extent / side / metres)
            octave_noise(x, still, z, whole, whole, whole, 0, 5, GRADIENT, out[row])

    threaded(rows, range(0, side, 64))


def recipes(side: int) -> None:
    """Slope, height and five octaves of noise over side² texels, against such noise alone."""
    mesh = ground(10_000)
    shape = shape_of(mesh)
    kind = TexelSites.model_validate({"size": side})
    sites = kind.sites(shape)
    document = ChannelSetDocument(name="Bench", channels=(ChannelDocument(name="R"),))
    found = OpenSet(UUID(int=0), kind, document, 0, [empty_channel(sites.layout.extent)], sites)
    extent = float(mesh.positions[:, 0].max())
    out = np.empty((side, side), np.float32)
    _noise_alone(64, extent, 0.1, out[:64, :64])
    timed(f"five octaves of noise alone, {side}²", lambda: _noise_alone(side, extent, 0.1, out))
    before = _peak()
    _, steps = timed(
        f"slope × height × noise as an undercoat, {side}²",
        lambda: measured(shape, {}, found, recipe_over(-0.02, 0.02, 0.1), lambda _materials, _pictures: {}),
    )
    share = float((steps > 0).mean())
    print(f"    {share:.0%} of the texels above nothing; {_peak() - before:.0f} MB more at most", flush=True)


def _peak() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
