"""The colour of a surface on the whole, as it is thrown back from below."""

import numpy as np

from ashblend.core.arrays import F64
from ashblend.core.sites.patch import Places
from ashblend.core.surface.blend_state import BlendState
from ashblend.core.surface.convert import Sets
from ashblend.core.surface.shape import Shape

# A mean of so many places, drawn alike over the surface, is right to a hundredth or two.
PLACES = 256


def mean_colour(blend: BlendState, shape: Shape, sets: Sets) -> F64:
    """(3,) linear albedo on average over the area of level 0."""
    inputs = shape.inputs(0)
    corners = inputs.arrays["position"][inputs.triangles]
    doubled = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    ends = np.cumsum(doubled, dtype=np.float64)
    if ends.size == 0 or ends[-1] <= 0:
        return np.full(3, 0.2)
    rng = np.random.default_rng(1)
    faces = np.minimum(np.searchsorted(ends, rng.random(PLACES) * ends[-1]), ends.size - 1)
    shares = rng.dirichlet(np.ones(3), PLACES)
    colours = blend.colours(shape, sets, 0, Places(faces.astype(np.int32), shares))
    return np.asarray(colours.mean(axis=0))
