"""How a blend looks, held by something outside the tree: an oracle by hand, and differences of heights."""

from collections import defaultdict

import numpy as np
import pytest
from blends import FACTS, any_blends, blend_documents, random_inputs, random_textures, slots_of, softest
from directed import DIRECTED
from hypothesis import Phase, given, settings
from reference.oracle import blended
from shapes import plane

from ashblend.core.blend.compile import compile_blend
from ashblend.core.blend.document import BlendDocument
from ashblend.core.blend.inputs import surface_inputs
from ashblend.core.emit.numpy_reference import evaluate
from ashblend.core.emit.parameters import parameter_values
from ashblend.core.emit.tape import flatten
from ashblend.core.emit.tape_kernel import play
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.tree.host import value_at

ORIGIN = np.array([3.7, -1.3, 8.9])
OUTPUTS = ("albedo", "normal", "roughness", "occlusion", "height", "metallic", "emission", "thin", "sink")


def looks(document, inputs, textures, facts=FACTS):
    """Every output of the reference, and the shares (k, layers)."""
    tree = compile_blend(document)
    nodes = {name: getattr(tree.look, name) for name in OUTPUTS}
    nodes |= {f"share{i}": share for i, share in enumerate(tree.shares)}
    parameters = parameter_values(nodes, document.model_dump(mode="json"), facts)
    out = evaluate(nodes, inputs, parameters, textures)
    count = inputs["normal"].shape[0]
    wide = {
        name: np.broadcast_to(out[name].reshape(-1, out[name].shape[-1]), (count, out[name].shape[-1]))
        for name in nodes
    }
    return wide, np.concatenate([wide[f"share{i}"] for i in range(len(tree.shares))], axis=1)


def as_the_oracle_says(document) -> float:
    """All outputs at some places, and how far the shares differ among them."""
    tree = compile_blend(document)
    inputs = random_inputs(tree, 60, seed=7)
    textures = random_textures(slots_of(tree), 16, seed=8)
    plain = document.model_dump(mode="json")
    # What no output reads has no slot.
    by_id = defaultdict(lambda: dict.fromkeys(textures, np.zeros((2, 2, 4))))
    for slot, path in enumerate(tree.slots):
        by_id[value_at(plain, path)] = {name: textures[name][slot].astype(float) for name in textures}
    for slot, path in enumerate(tree.pictures):
        by_id[value_at(plain, path)] = {"picture": textures["picture"][slot].astype(float)}
    weights = defaultdict(lambda: np.zeros((60, 4)))
    weights |= {str(named): inputs[f"weights{k}"] for k, named in enumerate(tree.channel_sets)}
    # The oracle knows the world alone; places are counted from an origin elsewhere.
    world = {**inputs, "position": inputs["position"] + ORIGIN}
    expected, shares = blended(plain, by_id, world, weights, 2.5, FACTS["time"])
    facts = FACTS | {f"origin_{axis}": value for axis, value in zip("xyz", ORIGIN.tolist(), strict=True)}
    found, found_shares = looks(document, inputs, textures, facts)
    for name in OUTPUTS:
        np.testing.assert_allclose(found[name], expected[name], atol=2e-6, err_msg=name)
    np.testing.assert_allclose(found_shares, shares, atol=2e-6)
    return float(np.ptp(found_shares, axis=0).max())


def test_every_output_is_what_the_oracle_says():
    """DESIGN.md section 4 and the papers, written a second time by hand."""
    differed = []

    @settings(max_examples=40, phases=[Phase.explicit, Phase.generate])
    @given(any_blends() | blend_documents(most=5))
    def every(document):
        differed.append(as_the_oracle_says(document))

    every()
    assert max(differed) > 0.2, "the places do differ"


@pytest.mark.parametrize("document", DIRECTED.values(), ids=DIRECTED.keys())
def test_each_thing_alone_is_what_the_oracle_says(document):
    as_the_oracle_says(document)


WAVES = ((1, 2, 0.06), (3, -1, 0.03))


SIZE = 1024


def wavy(size=SIZE):
    """Textures of a height over one tile: 0.5 + Σ a·cos(2π(p·u + q·v)), and its normals, exactly.

    v runs down the image and green is up, so the normal is (−∂h/∂u, +∂h/∂v, 1) for a tile of one metre.
    """
    at = (np.arange(size) + 0.5) / size
    u, v = np.meshgrid(at, at)
    height, du, dv = 0.5 + 0 * u, 0 * u, 0 * u
    for p, q, a in WAVES:
        angle = 2 * np.pi * (p * u + q * v)
        height = height + a * np.cos(angle)
        du = du - a * 2 * np.pi * p * np.sin(angle)
        dv = dv - a * 2 * np.pi * q * np.sin(angle)
    normal = np.stack([-du, dv, np.ones_like(du)], axis=2)
    normal /= np.linalg.norm(normal, axis=2, keepdims=True)
    surface = np.stack([height, height, height, height], axis=2)
    detail = np.stack([normal[..., 0] / 2 + 0.5, normal[..., 1] / 2 + 0.5, height, height], axis=2)
    return {"surface": [surface], "detail": [detail]}


TEXTURES = wavy()


def one_material(projection, rotation, tile):
    mapping = {
        "projection": projection,
        "rotation": rotation,
        "metres_per_tile": tile,
        "offset": [0.23, -0.41],
    }
    return BlendDocument.model_validate(
        {"ground": {"material": "00000000-0000-0000-0000-000000000001", "mapping": mapping}}
    )


def by_differences(document, at, facts, normal, tile):
    """The normal of the surface displaced by its projected height, from heights a little apart.

    at: what places (k, 3) hand to the blend.
    """
    side = np.cross(normal, [0.31, 0.87, 0.38])
    side /= np.linalg.norm(side)
    other = np.cross(normal, side)
    step = tile / SIZE

    def height(move):
        return looks(document, at(move), TEXTURES, facts)[0]["height"][:, 0] * tile

    gradient = sum(((height(step * d) - height(-step * d)) / (2 * step))[:, None] * d for d in (side, other))
    wanted = normal - gradient
    return wanted / np.linalg.norm(wanted, axis=1, keepdims=True)


def degrees_between(a, b):
    return np.degrees(2 * np.arcsin(np.clip(np.linalg.norm(a - b, axis=1) / 2, 0, 1)))


@pytest.mark.parametrize("rotation", [0.0, 37.0, -115.0, 180.0])
@pytest.mark.parametrize("axis", [0, 1, 2])
@pytest.mark.parametrize("side", [1.0, -1.0])
def test_a_projected_normal_is_that_of_the_projected_height(axis, side, rotation):
    normal = np.eye(3)[axis] * side
    rng = np.random.default_rng(1)
    places = rng.uniform(-2, 2, (200, 3))

    def at(move):
        n = np.broadcast_to(normal, places.shape)
        tangent = np.broadcast_to([*np.roll(normal, 1), 1.0], (200, 4))
        return {"position": places + move, "normal": n, "tangent": tangent, "uv": places[:, :2], "view": n}

    document = one_material("triplanar", rotation, 1.7)
    expected = by_differences(document, at, FACTS, normal, 1.7)
    found = looks(document, at(np.zeros(3)), TEXTURES)[0]["normal"]
    off = degrees_between(found, expected)
    assert off.max() < 0.1 and np.degrees(np.arccos(np.abs(found[:, axis]))).max() > 20


def turned_uvs(mesh, turn, mirrored):
    """A plane's UVs turned, and mirrored if wanted; still one scale."""
    uv = mesh.uvs[0].astype(float) - 0.5
    if mirrored:
        uv = uv * [-1, 1]
    c, s = np.cos(turn), np.sin(turn)
    uv = uv @ np.array([[c, s], [-s, c]]) * 0.7 + 0.5
    return Mesh(mesh.positions, mesh.triangles, uvs=(uv.astype(np.float32),))


@pytest.mark.parametrize("rotation", [0.0, 37.0, -115.0])
@pytest.mark.parametrize("mirrored", [False, True])
@pytest.mark.parametrize("turn", [0.0, 0.9])
def test_a_normal_by_uv_is_that_of_the_projected_height(turn, mirrored, rotation):
    mesh = turned_uvs(plane(5, 2.0, uv=True), turn, mirrored)
    sites = mesh_vertices(mesh)
    inputs = surface_inputs(mesh, sites.positions, sites.normals)
    rng = np.random.default_rng(2)
    triangles = rng.integers(0, mesh.triangles.shape[0], 150)
    shares = rng.dirichlet((3, 3, 3), 150)
    corners = inputs.arrays["position"][inputs.triangles[triangles]].astype(float)

    def at(move):
        # Barycentric shares of the moved places: a plane's UVs go on straight beside a triangle.
        places = np.einsum("ij,ijk->ik", shares, corners) + move
        a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
        edges = np.stack([b - a, c - a], axis=2)
        st = np.stack([np.linalg.lstsq(e, p, rcond=None)[0] for e, p in zip(edges, places - a, strict=True)])
        return inputs.on_triangles(triangles, np.column_stack([1 - st.sum(axis=1), st]))

    normal = at(np.zeros(3))["normal"][0]
    tile = 0.9
    document = one_material("uv", rotation, tile)
    expected = by_differences(document, at, inputs.facts, normal, tile)
    found = looks(document, at(np.zeros(3)), TEXTURES, inputs.facts)[0]["normal"]
    off = degrees_between(found, expected)
    assert off.max() < 0.1 and degrees_between(found, np.broadcast_to(normal, found.shape)).max() > 15


@pytest.mark.parametrize("projection", ["uv", "triplanar"])
@pytest.mark.parametrize("far", [0.0, 100.0, 10_000.0, -100_000.0])
@pytest.mark.parametrize(("tile", "offset"), [(1.3, 0.4), (0.02, 1000.0), (0.001, 999.9995)])
def test_far_from_the_origin_float32_says_what_the_oracle_says(far, tile, offset, projection):
    """Small tiles, far offsets and far places in single precision, against doubles in the world's own places.

    A place 5 cm from the surface's origin is known to 5 cm · 6e-8, which is 3e-6 of a tile of a millimetre.
    """
    mapping = {
        "projection": projection,
        "rotation": 25.0,
        "metres_per_tile": tile,
        "offset": [offset, -offset],
    }
    document = BlendDocument.model_validate(
        {"ground": {"material": "00000000-0000-0000-0000-000000000001", "mapping": mapping}}
    )
    tree = compile_blend(document)
    origin = np.rint(np.array([far, far / 3, -far / 2]))
    inputs = random_inputs(tree, 400, seed=6)
    local = (np.random.default_rng(6).uniform(-0.05, 0.05, (400, 3))).astype(np.float32)
    inputs |= {"position": local, "uv": (inputs["uv"] * 0.02).astype(np.float32)}
    facts = {"metres_per_uv": 2.5, **{f"origin_{a}": float(o) for a, o in zip("xyz", origin, strict=True)}}
    textures = random_textures(slots_of(tree), 16, seed=8)
    nodes = {name: getattr(tree.look, name) for name in OUTPUTS}
    parameters = parameter_values(nodes, document.model_dump(mode="json"), facts)
    found = play(flatten(nodes), inputs, parameters, textures, 400)
    world = {k: v.astype(np.float64) for k, v in inputs.items()} | {"position": local.astype(float) + origin}
    materials = {"00000000-0000-0000-0000-000000000001": {k: v[0].astype(float) for k, v in textures.items()}}
    expected, _ = blended(document.model_dump(mode="json"), materials, world, {}, 2.5)
    for name in ("albedo", "height", "roughness", "normal"):
        np.testing.assert_allclose(found[name], expected[name], atol=2e-3, err_msg=name)


@pytest.mark.parametrize("document", DIRECTED.values(), ids=DIRECTED.keys())
def test_the_tape_says_what_the_reference_says_of_each_thing_alone(document):
    as_the_tape_says(document)


@settings(max_examples=60)
@given(any_blends() | blend_documents())
def test_the_tape_says_what_the_reference_says(document):
    as_the_tape_says(document)


def as_the_tape_says(document) -> None:
    tree = compile_blend(document)
    inputs = random_inputs(tree, 700, seed=3)
    textures = random_textures(slots_of(tree), 16, seed=4)
    nodes = {name: getattr(tree.look, name) for name in OUTPUTS}
    parameters = parameter_values(nodes, document.model_dump(mode="json"), FACTS)
    expected = evaluate(nodes, inputs, parameters, textures)
    found = play(flatten(nodes), inputs, parameters, textures, 700)
    for name, node in nodes.items():
        np.testing.assert_allclose(
            np.broadcast_to(found[name], (700, node.width)),
            np.broadcast_to(expected[name], (700, node.width)),
            atol=max(1e-3, 4e-5 / softest(document)),
            err_msg=name,
        )
