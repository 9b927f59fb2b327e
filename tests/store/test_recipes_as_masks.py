"""Documents of the version before recipes: every copy of one changes alike, and what was stale stays so."""

import hashlib
import importlib
import json
from uuid import UUID

from ashblend.core.blend.document import BlendDocument
from ashblend.core.blend.variant import resolved
from ashblend.core.recipe.document import Recipe, of_channel
from ashblend.core.surface.undercoat import digest

change = importlib.import_module("ashblend.store.migrations.versions.0005_recipes_as_masks")
by_identity = importlib.import_module("ashblend.store.migrations.versions.0010_overrides_by_identity")
SET, MATERIAL = str(UUID(int=5)), str(UUID(int=6))
MASK = {"kind": "channel", "channel_set": SET, "channel": 2}
LAYER = {
    "id": "a", "kind": "cover", "name": "A", "visible": True, "opacity": 0.5, "material": MATERIAL,
    "mapping": {"projection": "uv", "metres_per_tile": 1.0, "rotation": 0.0, "offset": [0.0, 0.0]},
    "mask": MASK, "bite": 1.0, "softness": 0.15,
}  # fmt: skip
BLEND = {
    "name": "Old",
    "ground": {"name": "G", "material": MATERIAL, "mapping": LAYER["mapping"]},
    "layers": [LAYER],
}


def test_a_mask_of_one_channel_is_a_recipe_of_one_term_everywhere():
    new = change._blend(BLEND)
    layer = BlendDocument.model_validate(new).layers[0]
    assert layer.mask == of_channel(UUID(SET), 2) and layer.opacity == 0.5 and layer.border == "interlock"
    edit = {"kind": "blend", "id": MATERIAL, "before": {**BLEND, "layers": []}, "after": BLEND}
    assert change._edit(edit)["after"] == new, "what undo compares is what is kept"
    assert change._blend(new) == new, "done twice it is done once"


def test_overrides_of_variants_lead_to_the_same_values():
    overrides = {"/layers/0/mask/channel": 1, "/layers/0/bite": -2.0}
    variant = by_identity._variant(change._blend(BLEND), change._blend({"name": "V", "overrides": overrides}))
    assert set(variant["overrides"]) == {"/layers/a/mask/terms/t1/source/channel", "/layers/a/bite"}
    shown = resolved(change._blend(BLEND), variant["overrides"])["layers"][0]
    assert shown["mask"]["terms"][0]["source"]["channel"] == 1 and shown["bite"] == -2
    whole = change._blend({"name": "V", "overrides": {"/layers/0/mask": {**MASK, "channel": 3}}})
    whole = by_identity._variant(change._blend(BLEND), whole)
    shown = resolved(change._blend(BLEND), whole["overrides"])["layers"][0]
    assert shown["mask"]["terms"][0]["source"]["channel"] == 3


def test_an_undercoat_is_as_stale_as_it_was():
    term = {
        "source": {"kind": "noise", "metres": 0.5, "octaves": 3, "seed": 0},
        "low": 0.2, "high": 0.8, "curve": None, "invert": False, "op": "set", "amount": 1.0, "on": True,
    }  # fmt: skip
    recipe = {"terms": [term]}
    # As that version named a recipe: by all of its JSON.
    old = hashlib.sha256(json.dumps(recipe, separators=(",", ":")).encode()).hexdigest()[:16]
    wanted = digest(Recipe.model_validate(recipe))

    def made_by(name: str) -> str:
        undercoat = {"kind": "measured", "recipe": recipe, "made": {"shape": 1, "recipe": name, "entry": 4}}
        document = {"name": "S", "channels": [{"name": "R", "locked": False, "undercoat": undercoat}]}
        return change._channel_set(document)["channels"][0]["undercoat"]["made"]["recipe"]

    assert made_by(old) == wanted and made_by("another") == "another" != wanted
