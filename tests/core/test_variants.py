"""Overrides lead to what they were made for, whatever else is put in, taken away or moved."""

import random

import pytest
from blends import blend_documents
from hypothesis import given, settings
from hypothesis import strategies as st

from ashblend.core.blend.document import BlendDocument
from ashblend.core.blend.variant import overrides_between, resolved
from ashblend.core.recipe.document import Recipe, Term
from ashblend.core.recipe.sources.constant import ConstantSource


def with_other_numbers(document: dict, seed: int) -> dict:
    """Opacities, and how much of some terms, are others."""
    rng = random.Random(seed)
    out = BlendDocument.model_validate(document).model_dump(mode="json")
    for layer in out["layers"]:
        layer["opacity"] = rng.choice([layer["opacity"], rng.random()])
        for term in layer["mask"]["terms"]:
            term["amount"] = rng.choice([term["amount"], rng.random()])
    return out


def among_others(document: dict, seed: int) -> dict:
    """With terms in another order and one before them, and the layers the other way round."""
    rng = random.Random(seed)
    out = BlendDocument.model_validate(document).model_dump(mode="json")
    out["layers"] = [{**layer, "group": None} for layer in reversed(out["layers"])]
    for layer in out["layers"]:
        terms = layer["mask"]["terms"]
        rng.shuffle(terms)
        new = Term(id="new", source=ConstantSource(value=0.3)).model_dump(mode="json")
        layer["mask"]["terms"] = [new, *terms]
    return out


def numbers(document: dict) -> dict:
    """Opacities and amounts by who has them."""
    out = {}
    for layer in document["layers"]:
        out[layer["id"]] = layer["opacity"]
        out |= {(layer["id"], term["id"]): term["amount"] for term in layer["mask"]["terms"]}
    return {who: value for who, value in out.items() if "new" not in who}


@settings(max_examples=60)
@given(blend_documents(least=2), st.integers(0, 99))
def test_overrides_make_one_document_the_other_and_hold_when_all_is_moved(document, seed):
    base = document.model_dump(mode="json")
    variant = with_other_numbers(base, seed)
    overrides = overrides_between(base, variant)
    assert resolved(base, overrides) == variant
    moved = resolved(among_others(base, seed), overrides)
    assert numbers(moved) == numbers(variant)


def test_an_override_leads_by_no_place():
    base = BlendDocument.model_validate(
        {
            "ground": {"material": None},
            "layers": [
                {"id": "a", "name": "A", "kind": "film", "mask": {"terms": [{"source": {"kind": "slope"}}]}}
            ],
        }
    ).model_dump(mode="json")
    assert resolved(base, {"/layers/a/mask/terms/t1/low": 5.0})["layers"][0]["mask"]["terms"][0]["low"] == 5
    for way in (
        "/layers/0/opacity",
        "/layers/a/mask/terms/0/low",
        "/layers/b/opacity",
        "/ground/colour/0",
        "/no",
    ):
        with pytest.raises(ValueError, match="leads nowhere"):
            resolved(base, {way: 0.5})
    with pytest.raises(ValueError, match="opacity"):
        resolved(base, {"/layers/a/opacity": 7})


def test_terms_have_ids_of_their_own_and_those_of_older_documents_are_always_the_same():
    bare, named = Term(source=ConstantSource(value=1)), Term(id="t2", source=ConstantSource(value=0))
    assert [t.id for t in Recipe(terms=(bare, named, bare, named)).terms] == ["t1", "t2", "t3", "t4"]
    assert Recipe(terms=(bare, bare)) == Recipe.model_validate(Recipe(terms=(bare, bare)).model_dump())
