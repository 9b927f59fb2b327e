"""Sets on the texels of a map."""

from typing import Annotated, Any, Literal, Self

import numpy as np
from pydantic import Field

from ashblend.core.arrays import I32
from ashblend.core.channels.channel import Channel
from ashblend.core.channels.moved import taken_over
from ashblend.core.prepare.carry import FACING_LIMIT
from ashblend.core.prepare.uv_facts import UVFacts, best_map, uv_facts
from ashblend.core.sites.closest import ClosestTree
from ashblend.core.sites.protocol import Sites
from ashblend.core.sites.uv_texels import UVTexels
from ashblend.core.surface.kinds.fixed import FixedSites
from ashblend.core.surface.kinds.protocol import MeshChange
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shape import Shape


def _all_sites(texels: UVTexels) -> I32:
    return np.flatnonzero(texels.owner).astype(np.int32)


def _by_place(change: MeshChange, number: int, old: UVTexels, new: UVTexels, here: I32) -> I32:
    """number: of the old UV set. For each new texel the old site at the closest place of the old mesh."""
    mesh = change.before.mesh
    tree = ClosestTree(mesh.positions, mesh.triangles)
    window = new.window(here.astype(np.uint32))
    hits = tree.closest(window.positions, window.normals, FACING_LIMIT)
    lost = hits.faces < 0
    if lost.any():
        anyway = tree.closest(window.positions[lost])
        hits.faces[lost], hits.shares[lost] = anyway.faces, anyway.shares
    corners = mesh.triangles[hits.faces].astype(np.int64)
    uv = (mesh.uvs[number][corners].astype(np.float64) * hits.shares[:, :, None]).sum(axis=1)
    return old.nearest(uv)


# Of a surface of which less has texels to itself, a map is no use.
LITTLE = 0.05
UNWRAP = "Unwrap the mesh, in Prepare, to give every part texels of its own."


def _said(facts: UVFacts) -> str:
    if facts.kind == "tiling":
        return (
            f"The UVs tile: they run over {facts.tiles:.1f} tiles, and {facts.outside:.0%} of the surface lies "
            "outside the map."
        )
    return f"The UVs overlap: {facts.shared:.0%} of the surface shares texels with another part, and shows its paint."


class TexelSites(FixedSites):
    """Texels of a UV set, size × size. uv: its number."""

    kind: Literal["texels"] = "texels"
    size: Literal[256, 512, 1024, 2048, 4096] = 1024
    uv: Annotated[int, Field(ge=0, le=7)] = 0

    def sites(self, shape: Shape) -> Sites:
        """Raises ValueError without UVs."""
        return shape.texels(self.size, self.uv)

    def require_addable(self, shape: Shape) -> None:
        """Raises Refusal where an artist cannot add such a set."""
        shape.require_mesh()
        if not shape.mesh.uvs:
            raise Refusal("The mesh has no UVs for texels to lie on.", UNWRAP)
        if self.uv >= len(shape.mesh.uvs):
            raise Refusal(f"The mesh has no UV set {self.uv + 1}.", f"It has {len(shape.mesh.uvs)}.")
        facts = uv_facts(shape.mesh, self.uv)
        if facts.own < LITTLE:
            raise Refusal(
                f"{_said(facts)} Hardly anything of it could be painted on a map.", self._remedy(shape)
            )

    def _remedy(self, shape: Shape) -> str:
        """What to do about a UV set that is hardly good for a map."""
        better = best_map(shape.mesh)
        return (
            UNWRAP if better == self.uv else f"Choose UV set {better + 1}, or {UNWRAP[0].lower()}{UNWRAP[1:]}"
        )

    def note(self, shape: Shape) -> str:
        """What an artist should know who has added such a set."""
        facts = uv_facts(shape.mesh, self.uv)
        return "" if facts.kind == "own" else f"{_said(facts)} {self._remedy(shape)}"

    def after(self, change: MeshChange) -> Self:
        """Where the set lies on the changed mesh: a new first UV set takes over from the first."""
        wanted = self.uv + change.shifted if self.uv else 0
        return self.model_copy(update={"uv": max(0, min(wanted, len(change.after.mesh.uvs) - 1))})

    def moved(self, channels: tuple[Channel, ...], change: MeshChange, to: Any) -> tuple[Channel, ...] | None:
        """The channels on the changed mesh, on texels like the other's; None where it has no map any more."""
        if not change.after.mesh.uvs:
            return None
        before, after = change.before.texels(self.size, self.uv), change.after.texels(to.size, to.uv)
        here = _all_sites(after)
        if change.same_map and to == self.model_copy(update={"uv": self.uv + change.shifted}):
            source = before.shown_at(here.astype(np.int64))
            if source.shape == here.shape and np.array_equal(source, here) and before.count == after.count:
                return channels
        else:
            source = _by_place(change, self.uv, before, after, here)
        return tuple(taken_over(channel, here, source, after.layout.extent) for channel in channels)
