"""How far sites may be changed: asked for each dab's own sites, never for a whole surface at once."""

from collections.abc import Callable

import numpy as np

from ashblend.core.arrays import F32, F64, U32, Mask
from ashblend.core.brush.stroke import Allow
from ashblend.core.prepare.face_sets import faces_like
from ashblend.core.prepare.groups.grouping import group_mask
from ashblend.core.surface.address import Limit, Protection
from ashblend.core.surface.convert import Sets, values_on
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shape import Shape


def _within(found: OpenSet, height: Limit | None, slope: Limit | None) -> Callable[[U32], F64]:
    """1 between the limits, 0 beyond them, fading over their softness."""

    def share(values: F64, limit: Limit) -> F64:
        beyond = np.maximum(np.maximum(limit.low - values, values - limit.high), 0)
        return 1 - np.clip(beyond / limit.soft, 0, 1) if limit.soft > 0 else (beyond == 0).astype(np.float64)

    def at(sites: U32) -> F64:
        window = found.sites.window(sites)
        out = np.ones(sites.shape[0])
        if height is not None:
            out *= share(window.positions[:, 1].astype(np.float64), height)
        if slope is not None:
            level = np.clip(window.normals[:, 1].astype(np.float64), -1, 1)
            out *= share(np.degrees(np.arccos(level)), slope)
        return out

    return at


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
    if protect.height is not None or protect.slope is not None:
        rules.append(_within(found, protect.height, protect.slope))
    if not rules:
        return None

    def allow(sites: U32) -> F32:
        out = np.ones(sites.shape[0], np.float32)
        for rule in rules:
            out *= rule(sites)
        return out

    return allow
