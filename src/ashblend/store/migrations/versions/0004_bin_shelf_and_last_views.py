"""A bin, a shelf of starting materials, the last view of a surface, and when a blob was last put."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

NOW = sa.text("clock_timestamp()")


def upgrade() -> None:
    moment = sa.DateTime(timezone=True)
    op.add_column("blob", sa.Column("put_at", moment, nullable=False, server_default=NOW))
    for table in ("project", "surface"):
        op.add_column(table, sa.Column("removed_at", moment, nullable=True))
    op.add_column("mesh_level", sa.Column("old", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.create_table(
        "shelf_material",
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("document", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("name", name=op.f("pk_shelf_material")),
    )
    op.create_table(
        "last_view",
        sa.Column("surface_id", sa.Uuid(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.Column("made_at", moment, nullable=False, server_default=NOW),
        sa.ForeignKeyConstraint(
            ["surface_id"], ["surface.id"], name=op.f("fk_last_view_surface_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("surface_id", name=op.f("pk_last_view")),
    )


def downgrade() -> None:
    raise NotImplementedError("older versions cannot read what this one stores")
