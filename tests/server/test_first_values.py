"""What a new layer of each kind begins with is seen where it lies, and seen for what it is, whatever it lies on."""

from uuid import UUID

import numpy as np
import pytest
from blends import FACTS, random_inputs
from colours import delta_e

from ashblend.core.blend.compile import compile_blend
from ashblend.core.blend.document import BlendDocument
from ashblend.core.blend.layers.registry import LAYER_DOCUMENTS
from ashblend.core.emit.numpy_reference import evaluate
from ashblend.core.emit.parameters import parameter_values
from ashblend.core.materials.packing import PACKS, pack_texture_set
from ashblend.core.materials.relief import SEEN, rms_slope
from ashblend.core.materials.texture_set import texture_set
from ashblend.demo.materials import MATERIALS
from ashblend.server.routes.ingredients import get_ingredients

SIZE = 32
# CIE 1976: about 2.3 are just noticed (Mahy, Van Eycken and Oosterlinck 1994, Color Research & Application 19(2)).
NOTICED = 2.3
EVEN = {"terms": [{"source": {"kind": "constant", "value": 1.0}}]}
FIRST = {kind.kind: kind.first for kind in get_ingredients().kinds}


def packed(name: str) -> dict:
    made = MATERIALS[name](3, SIZE)
    return pack_texture_set(made, SIZE)


def flat(grey: int) -> dict:
    """Of one lightness, and level."""
    return pack_texture_set(texture_set({"albedo": np.full((SIZE, SIZE, 3), grey, np.uint8)}), SIZE)


def looks(ground: dict, layer: dict | None, material: dict) -> dict[str, np.ndarray]:
    """Albedo, normal and roughness at some places of level ground."""
    first = {**(layer or {}), "id": "new", "mask": EVEN}
    if "material" in first:
        first["material"] = str(UUID(int=2))
    document = BlendDocument.model_validate(
        {"ground": {"material": str(UUID(int=1))}, "layers": [first] if layer else []}
    )
    tree = compile_blend(document)
    inputs = random_inputs(tree, 400, seed=4)
    textures = {
        name: [pack.decoded(texels[name]) for texels in (ground, material)] for name, pack in PACKS.items()
    }
    inputs |= {"normal": np.tile([0.0, 1, 0], (400, 1)), "tangent": np.tile([1.0, 0, 0, 1], (400, 1))}
    wanted = {name: getattr(tree.look, name) for name in ("albedo", "normal", "roughness")}
    parameters = parameter_values(wanted, document.model_dump(mode="json"), FACTS)
    found = evaluate(wanted, inputs, parameters, textures)
    return {name: np.asarray(found[name], float) for name in wanted}


GROUNDS = {
    **{name: packed(name) for name in ("Plain clay", "Wrack", "Salt rime")},
    "white": flat(240),
    "black": flat(30),
}


@pytest.mark.parametrize("ground", GROUNDS)
def test_a_new_tint_and_a_new_film_are_seen_on_anything_and_told_apart(ground):
    bare = looks(GROUNDS[ground], None, GROUNDS[ground])
    tinted = looks(GROUNDS[ground], FIRST["tint"], GROUNDS[ground])
    filmed = looks(GROUNDS[ground], FIRST["film"], GROUNDS[ground])
    assert np.median(delta_e(bare["albedo"], tinted["albedo"])) > 4 * NOTICED
    # What is black cannot get much darker: it is seen to be wet by its gloss.
    darker = 1.0 if ground == "black" else 3.5
    assert np.median(delta_e(bare["albedo"], filmed["albedo"])) > darker * NOTICED
    assert np.median(delta_e(tinted["albedo"], filmed["albedo"])) > 4 * NOTICED
    # What is wet is smooth; what is coloured is as rough as it was.
    assert (filmed["roughness"] < 0.1).all()
    np.testing.assert_array_equal(tinted["roughness"], bare["roughness"])


@pytest.mark.parametrize("name", MATERIALS)
def test_a_material_is_said_to_have_relief_where_a_new_relief_of_it_is_seen_on_level_ground(name):
    material = packed(name)
    shaped = looks(flat(128), FIRST["relief"], material)
    light = np.array([0.6, 0.5, 0.3]) / np.linalg.norm([0.6, 0.5, 0.3])
    shades = np.clip(shaped["normal"] @ light, 0, 1)
    contrast = shades.std() / shades.mean()
    if rms_slope(material["detail"]) >= SEEN:
        assert contrast > 0.08, "about the least that is seen of a texture at arm's length: by eye"
    else:
        assert contrast < 0.2
    np.testing.assert_array_equal(shaped["albedo"], looks(flat(128), None, material)["albedo"])


def test_slope_is_that_of_the_normals():
    """Every texel leans by one angle, to all sides."""
    turn = np.linspace(0, 2 * np.pi, 64, endpoint=False)
    lean = np.sin(np.arctan(0.5))
    detail = np.zeros((8, 8, 4), np.uint8)
    detail[..., 0] = np.rint(127.5 + 127.5 * lean * np.cos(turn)).reshape(8, 8)
    detail[..., 1] = np.rint(127.5 + 127.5 * lean * np.sin(turn)).reshape(8, 8)
    assert rms_slope(detail) == pytest.approx(0.5, abs=0.01)


def test_every_kind_has_its_first_values():
    assert set(FIRST) == set(LAYER_DOCUMENTS)
    ways = get_ingredients().colourings
    assert {way["kind"] for way in ways.values()} == set(ways) == {"colour", "gradient", "channels"}
