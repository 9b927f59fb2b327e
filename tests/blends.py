"""Random blends and places for them."""

from uuid import UUID

import numpy as np
from hypothesis import strategies as st

from ashblend.core.blend import BlendDocument, BlendTree, ChannelMask, CoverLayer, Ground, Mapping
from ashblend.core.materials import PACKS

unit = st.floats(0, 1)
idents = st.integers(1, 9).map(lambda n: UUID(int=n))
mappings = st.builds(
    Mapping,
    projection=st.sampled_from(["uv", "triplanar"]),
    metres_per_tile=st.floats(0.2, 5),
    rotation=st.floats(-180, 180),
    offset=st.tuples(st.floats(-2, 2), st.floats(-2, 2)),
)


@st.composite
def blend_documents(draw, least: int = 0, most: int = 4) -> BlendDocument:
    layers = [
        CoverLayer(
            id=f"l{i}",
            name=f"Layer {i}",
            material=draw(idents),
            mapping=draw(mappings),
            visible=draw(st.booleans()),
            opacity=draw(unit),
            mask=ChannelMask(
                channel_set=draw(st.sampled_from([UUID(int=21), UUID(int=22)])),
                channel=draw(st.integers(0, 3)),
            ),
            bite=draw(st.floats(-4, 4)),
            softness=draw(st.floats(0.02, 2)),
        )
        for i in range(draw(st.integers(least, most)))
    ]
    return BlendDocument(ground=Ground(material=draw(idents), mapping=draw(mappings)), layers=tuple(layers))


def random_inputs(tree: BlendTree, count: int, seed: int) -> dict[str, np.ndarray]:
    """Places with unit normals, tangents at right angles to them, and any weights."""
    rng = np.random.default_rng(seed)
    normal = rng.standard_normal((count, 3))
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    tangent = np.cross(normal, rng.standard_normal((count, 3)))
    tangent /= np.linalg.norm(tangent, axis=1, keepdims=True)
    hand = rng.choice([-1.0, 1.0], (count, 1))
    out = {
        "position": rng.uniform(-3, 3, (count, 3)),
        "normal": normal,
        "tangent": np.concatenate([tangent, hand], axis=1),
        "uv": rng.uniform(-1, 2, (count, 2)),
    }
    for k in range(len(tree.channel_sets)):
        out[f"weights{k}"] = rng.uniform(0, 1, (count, 4))
    return out


def random_texels(slots: int, size: int, seed: int) -> dict[str, np.ndarray]:
    """uint8 texels (slots, size, size, 4) for each pack: smooth, as real maps are."""
    rng = np.random.default_rng(seed)
    angle = np.arange(size) / size * 2 * np.pi
    out = {}
    for name in PACKS:
        waves = np.zeros((slots, size, size, 4))
        for k in (1, 2, 3):
            a, b = rng.uniform(0, 6.28, (2, slots, 1, 1, 4))
            waves += (
                np.sin(k * angle[None, :, None, None] + a) * np.cos(k * angle[None, None, :, None] + b) / k
            )
        out[name] = np.rint(np.clip(0.5 + 0.3 * waves, 0, 1) * 255).astype(np.uint8)
    return out


def random_textures(slots: int, size: int, seed: int) -> dict[str, list[np.ndarray]]:
    texels = random_texels(slots, size, seed)
    return {name: [pack.decoded(t) for t in texels[name]] for name, pack in PACKS.items()}
