"""Overrides of variants lead by ids of layers and terms, and no longer by their places."""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

from ashblend.core.blend.document import BlendDocument

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def _by_identity(base: dict[str, Any], pointer: str) -> str:
    """A pointer into a blend by places, as a way by ids; what holds no ids stays as it is."""
    at: Any = BlendDocument.model_validate(base).model_dump(mode="json")
    way = []
    for step in pointer.split("/")[1:]:
        if isinstance(at, list):
            at = at[int(step)]
            way.append(at["id"] if isinstance(at, dict) and "id" in at else step)
        else:
            at = at[step] if isinstance(at, dict) and step in at else None
            way.append(step)
    return "/".join(["", *way])


def _variant(base: dict[str, Any], document: dict[str, Any]) -> dict[str, Any]:
    overrides = {_by_identity(base, pointer): value for pointer, value in document["overrides"].items()}
    return {**document, "overrides": overrides}


def upgrade() -> None:
    connection = op.get_bind()
    found = connection.execute(
        sa.text("SELECT v.id, v.document, b.document FROM blend v JOIN blend b ON v.base = b.id")
    ).all()
    for ident, document, base in found:
        update = sa.text("UPDATE blend SET document = :document WHERE id = :id")
        connection.execute(
            update.bindparams(sa.bindparam("document", type_=JSONB)),
            {"document": _variant(base, document), "id": ident},
        )


def downgrade() -> None:
    raise NotImplementedError("older versions cannot read what this one stores")
