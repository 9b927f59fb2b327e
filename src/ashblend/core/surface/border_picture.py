"""A picture of a layer's border on what is under it: from nothing at the left to all of it at the right."""

from uuid import UUID

import numpy as np

from ashblend.core.arrays import U8
from ashblend.core.blend.border import BorderStyle
from ashblend.core.blend.compile import BlendTree
from ashblend.core.blend.document import BlendDocument
from ashblend.core.blend.layers.cover import CoverLayer
from ashblend.core.blend.layers.relief import ReliefLayer
from ashblend.core.emit.numpy_reference import Textures
from ashblend.core.emit.work_out import WorkOut
from ashblend.core.materials.texture_set import encode_srgb
from ashblend.core.recipe.document import of_channel
from ashblend.core.surface.at_places import seen

MASK = UUID(int=0)
LIGHT = np.array([-0.45, 0.72, 0.52])


def bordered_blend(document: BlendDocument, layer: str, style: BorderStyle) -> BlendDocument | None:
    """The layer's material over that of the next one under it, on a plane; None where it has none to show."""
    number = next((n for n, x in enumerate(document.layers) if x.id == layer), None)
    own = None if number is None else document.layers[number]
    if number is None or not isinstance(own, CoverLayer | ReliefLayer):
        return None
    under = [x for x in document.layers[:number] if isinstance(x, CoverLayer) and document.shown(x)]
    below = under[-1] if under else document.ground
    plain = {"projection": "planar", "axis": "y", "parallax": 0.0, "far": None}
    ground = document.ground.model_copy(
        update={
            "material": below.material,
            "mapping": below.mapping.model_copy(update=plain),
            "finish": below.finish,
        }
    )
    changes = {
        "mapping": own.mapping.model_copy(update=plain),
        "mask": of_channel(MASK, 0),
        "border": style,
        "opacity": 1.0,
        "visible": True,
        "group": None,
    }
    return BlendDocument(ground=ground, layers=(own.model_copy(update=changes),))


def border_picture(
    document: BlendDocument, tree: BlendTree, textures: Textures, width: int, height: int
) -> U8:
    """(height, width, 3) sRGB of a `bordered_blend` and its tree; two of the layer's tiles across."""
    layer = document.layers[0]
    assert isinstance(layer, CoverLayer | ReliefLayer)
    across = np.arange(width) / max(1, width - 1)
    down = np.arange(height) / max(1, width - 1)
    u, v = np.meshgrid(across, down)
    metres = 1.2 * layer.mapping.metres_per_tile
    count = width * height
    up = np.tile([0.0, 1.0, 0.0], (count, 1))
    weights = np.zeros((count, 4))
    weights[:, 0] = u.reshape(-1)
    inputs = {
        "position": np.column_stack([u.reshape(-1) * metres, np.zeros(count), v.reshape(-1) * metres]),
        "normal": up,
        "weights0": weights,
    }
    inputs |= seen(inputs)
    facts = {"origin_x": 0.0, "origin_y": 0.0, "origin_z": 0.0, "metres_per_uv": 1.0, "time": 0.0}
    nodes = {"albedo": tree.look.albedo, "normal": tree.look.normal, "occlusion": tree.look.occlusion}
    found = WorkOut(nodes, document.model_dump(mode="json"), facts, textures).at(inputs, count)
    light = LIGHT / np.linalg.norm(LIGHT)
    lit = 0.3 + 1.1 * np.clip(found["normal"] @ light, 0, 1)[:, None]
    colour = np.clip(found["albedo"] * lit * (0.4 + 0.6 * found["occlusion"]), 0, 1)
    return encode_srgb(colour.reshape(height, width, 3))
