"""Masks of layers become recipes: a mask that is one channel is a recipe of one term.

Documents, the journal's copies of them and variants' overrides change alike, so that undo still finds what it left.
Undercoats keep the digest of the recipe that they were made by, which is reckoned anew.
"""

import hashlib
import json
from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

from ashblend.core.recipe.document import Recipe
from ashblend.core.surface.undercoat import digest

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

TERM = {"low": 0.0, "high": 1.0, "curve": None, "invert": False, "op": "set", "amount": 1.0, "on": True}
# As the version before wrote a recipe down, in this order.
OLD_TERM = ("source", "low", "high", "curve", "invert", "op", "amount", "on")
OLD_SOURCE = ("kind", "channel_set", "channel", "value", "metres", "octaves", "seed")


def _recipe_of(mask: dict[str, Any]) -> dict[str, Any]:
    if "terms" in mask:
        return mask
    source = {"kind": "channel", "channel_set": mask["channel_set"], "channel": mask["channel"]}
    return {"terms": [{"source": source, **TERM}]}


def _layer(layer: Any) -> Any:
    return (
        {**layer, "mask": _recipe_of(layer["mask"])} if isinstance(layer, dict) and "mask" in layer else layer
    )


def _override(pointer: str, value: Any) -> tuple[str, Any]:
    steps = pointer.split("/")
    if len(steps) >= 4 and steps[1] == "layers" and steps[3] == "mask":
        if len(steps) == 4:
            return pointer, _recipe_of(value)
        return "/".join([*steps[:4], "terms", "0", "source", *steps[4:]]), value
    if len(steps) == 3 and steps[1] == "layers":
        return pointer, _layer(value)
    return pointer, [_layer(layer) for layer in value] if pointer == "/layers" else value


def _blend(document: dict[str, Any]) -> dict[str, Any]:
    if "overrides" in document:
        return {**document, "overrides": dict(_override(*entry) for entry in document["overrides"].items())}
    if "layers" in document:
        return {**document, "layers": [_layer(layer) for layer in document["layers"]]}
    return document


def _old_digest(recipe: dict[str, Any]) -> str:
    terms = [
        {
            key: {k: term["source"][k] for k in OLD_SOURCE if k in term["source"]}
            if key == "source"
            else term[key]
            for key in OLD_TERM
        }
        for term in recipe["terms"]
    ]
    text = json.dumps({"terms": terms}, separators=(",", ":"))
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def _channel(channel: dict[str, Any]) -> dict[str, Any]:
    undercoat = channel.get("undercoat") or {}
    made = undercoat.get("made")
    if undercoat.get("kind") != "measured" or not made or made["recipe"] != _old_digest(undercoat["recipe"]):
        return channel
    made = {**made, "recipe": digest(Recipe.model_validate(undercoat["recipe"]))}
    return {**channel, "undercoat": {**undercoat, "made": made}}


def _channel_set(document: dict[str, Any]) -> dict[str, Any]:
    return {**document, "channels": [_channel(channel) for channel in document["channels"]]}


CHANGES = {"blend": _blend, "channel_set": _channel_set}


def _edit(edit: dict[str, Any]) -> dict[str, Any]:
    change = CHANGES[edit["kind"]]
    return {**edit, "before": change(edit["before"]), "after": change(edit["after"])}


def upgrade() -> None:
    connection = op.get_bind()
    for table, change in CHANGES.items():
        for ident, document in connection.execute(sa.text(f"SELECT id, document FROM {table}")).all():
            new = change(document)
            if new != document:
                update = sa.text(f"UPDATE {table} SET document = :document WHERE id = :id")
                connection.execute(
                    update.bindparams(sa.bindparam("document", type_=JSONB)),
                    {"document": new, "id": ident},
                )
    rows = connection.execute(
        sa.text("SELECT surface_id, number, documents FROM journal_entry WHERE documents IS NOT NULL")
    ).all()
    for surface, number, documents in rows:
        if not isinstance(documents, list):
            continue
        edits = [_edit(edit) for edit in documents]
        if edits != documents:
            connection.execute(
                sa.text(
                    "UPDATE journal_entry SET documents = :documents WHERE surface_id = :surface AND number = :number"
                ).bindparams(sa.bindparam("documents", type_=JSONB)),
                {"documents": edits, "surface": surface, "number": number},
            )


def downgrade() -> None:
    raise NotImplementedError("older versions cannot read what this one stores")
