"""Lights that a project keeps, how each surface is looked at, and places that it is looked at from."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def _named(table: str, owner: str) -> None:
    op.create_table(
        table,
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column(f"{owner}_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("document", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column(
            "created_at",
            sa.DateTime(timezone=True),
            nullable=False,
            server_default=sa.text("clock_timestamp()"),
        ),
        sa.ForeignKeyConstraint(
            [f"{owner}_id"], [f"{owner}.id"], name=op.f(f"fk_{table}_{owner}_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{table}")),
    )
    op.create_index(op.f(f"ix_{table}_{owner}_id"), table, [f"{owner}_id"])


def upgrade() -> None:
    _named("kept_light", "project")
    _named("bookmark", "surface")
    op.create_table(
        "sight",
        sa.Column("surface_id", sa.Uuid(), nullable=False),
        sa.Column("document", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.ForeignKeyConstraint(
            ["surface_id"], ["surface.id"], name=op.f("fk_sight_surface_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("surface_id", name=op.f("pk_sight")),
    )


def downgrade() -> None:
    raise NotImplementedError("older versions cannot read what this one stores")
