"""How far sites may be changed: asked for each dab's own sites, never for a whole surface at once."""

from collections.abc import Callable

import numpy as np

from ashblend.core.arrays import F32, F64, U32, Mask
from ashblend.core.brush.stroke import Allow
from ashblend.core.prepare.face_sets import faces_like
from ashblend.core.prepare.groups import group_mask
from ashblend.core.surface.address import Protection
from ashblend.core.surface.convert import Sets, values_on
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shape import Shape


def allowed(
    shape: Shape, sets: Sets, found: OpenSet, protect: Protection, faces: Mask | None
) -> Allow | None:
    """How far sites of a set may be changed, 0..1; None for all of them fully.

    Not where groups are protected, only on chosen triangles (m,), less where the mask is high. Raises Refusal.
    """
    mesh = shape.mesh_of(found.level)
    missing = set(protect.groups) - {g.name for g in mesh.groups}
    if missing and found.level == 0:
        # Painting on as if nothing were protected would be the worse surprise.
        raise Refusal(
            f"There is no group {', '.join(sorted(missing))} to protect.", "Choose the groups again."
        )
    rules: list[Callable[[U32], F32 | F64]] = []
    if protect.mask is not None:
        held = values_on(found, sets, protect.mask)
        rules.append(held if protect.inverted else lambda sites: 1 - held(sites))
    if faces is not None:
        within = found.sites.on_faces(faces)
        rules.append(lambda sites: within(sites).astype(np.float32))
    if protect.groups:
        # A vertex between a protected face and a free one is protected: else the border would bleed.
        protected = found.sites.on_faces(group_mask(mesh, list(protect.groups)))
        rules.append(lambda sites: (~protected(sites)).astype(np.float32))
    if protect.parts and found.level == 0:
        picked = np.array(protect.parts, np.int64)
        if int(picked.max()) >= mesh.triangles.shape[0]:
            raise Refusal("There is no such part to protect.", "Pick the parts again.")
        kept = found.sites.on_faces(faces_like(mesh, picked.astype(np.int32), "part"))
        rules.append(lambda sites: (~kept(sites)).astype(np.float32))
    if not rules:
        return None

    def allow(sites: U32) -> F32:
        out = np.ones(sites.shape[0], np.float32)
        for rule in rules:
            out *= rule(sites)
        return out

    return allow
