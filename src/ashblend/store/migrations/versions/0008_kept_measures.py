"""Measures of surfaces, kept in their own units."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "kept_measure",
        sa.Column("surface_id", sa.Uuid(), nullable=False),
        sa.Column("key", sa.String(length=64), nullable=False),
        sa.Column("values", sa.String(length=64), nullable=False),
        sa.Column(
            "asked_at", sa.DateTime(timezone=True), server_default=sa.func.clock_timestamp(), nullable=False
        ),
        sa.ForeignKeyConstraint(
            ["surface_id"], ["surface.id"], name=op.f("fk_kept_measure_surface_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["values"], ["blob.sha"], name=op.f("fk_kept_measure_values")),
        sa.PrimaryKeyConstraint("surface_id", "key", name=op.f("pk_kept_measure")),
    )


def downgrade() -> None:
    raise NotImplementedError("older versions cannot read what this one stores")
