"""The blend of an open surface, compiled, with its textures decoded for the reference back end."""

from dataclasses import dataclass
from typing import Any
from uuid import UUID

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from ashblend.core.arrays import F32, F64
from ashblend.core.blend import BlendDocument, BlendTree, SurfaceInputs, compile_blend
from ashblend.core.channels import FULL, Channel
from ashblend.core.emit import LayerShares, layer_shares
from ashblend.core.materials import PACKS, pack_texture_set
from ashblend.core.materials.packing import PackName
from ashblend.store.documents import get_row
from ashblend.store.materials import read_texture_set
from ashblend.store.models import Material
from ashblend.store.surfaces import blend_of

# The reference needs heights and little else; a small mip is enough for shares and readouts.
REFERENCE_SIZE = 256


@dataclass(frozen=True)
class BlendState:
    revision: int
    tree: BlendTree
    document: dict[str, Any]
    textures: dict[PackName, list[F32]]

    def shares(
        self,
        surface: SurfaceInputs,
        places: dict[str, F64],
        weights: dict[UUID, F64],
    ) -> LayerShares:
        """places: surface inputs (n, width). weights: (n, 4) of each channel set."""
        inputs = dict(places)
        count = places["position"].shape[0]
        for number, channel_set in enumerate(self.tree.channel_sets):
            inputs[f"weights{number}"] = weights.get(channel_set, np.zeros((count, 4)))
        return layer_shares(self.tree, self.document, inputs, self.textures, surface.metres_per_uv)


Decoded = dict[PackName, F32]
DecodedMaterials = dict[tuple[UUID, int], Decoded]


def _decode(session: Session, material: Material) -> Decoded:
    packs = pack_texture_set(read_texture_set(session, material), REFERENCE_SIZE)
    return {name: pack.decoded(packs[name]) for name, pack in PACKS.items()}


def load_blend(
    session: Session, surface: UUID, known: DecodedMaterials
) -> tuple[BlendState, DecodedMaterials]:
    """The newest blend of a surface, and the decoded materials that it uses.

    known: materials decoded before, by id and revision. Decoding takes far longer than compiling,
    and while a slider is dragged a new document comes eight times a second.
    """
    row = blend_of(session, surface)
    tree = compile_blend(BlendDocument.model_validate(row.document))
    used: DecodedMaterials = {}
    textures: dict[PackName, list[F32]] = {name: [] for name in PACKS}
    for slot in tree.slots:
        at: Any = row.document
        for step in slot.split("/")[1:]:
            at = at[int(step)] if isinstance(at, list) else at[step]
        material = get_row(session, Material, UUID(at))
        key = (material.id, material.revision)
        decoded = used.get(key) or known.get(key) or _decode(session, material)
        used[key] = decoded
        for name in PACKS:
            textures[name].append(decoded[name])
    return BlendState(row.revision, tree, row.document, textures), used


def set_weights(channels: list[Channel], sites: NDArray[np.integer] | slice = slice(None)) -> F64:
    """Weights (n, 4) of a channel set; channels it does not have are zero."""
    planes = [channel.values(sites).astype(np.float64) / FULL for channel in channels]
    out = np.zeros((planes[0].shape[0], 4))
    out[:, : len(planes)] = np.stack(planes, axis=1)
    return out
