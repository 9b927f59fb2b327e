"""Meshes that change, levels of detail, kinds of sites, snapshots, pictures of steps, stencils."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None

JSONB = postgresql.JSONB(astext_type=sa.Text())


def _made_at(name: str) -> sa.Column[object]:
    return sa.Column(
        name, sa.DateTime(timezone=True), server_default=sa.text("clock_timestamp()"), nullable=False
    )


def upgrade() -> None:
    op.add_column("surface", sa.Column("geometry", sa.String(length=64), nullable=True))
    op.create_foreign_key(op.f("fk_surface_geometry"), "surface", "blob", ["geometry"], ["sha"])
    op.add_column("channel_set", sa.Column("sites", JSONB, nullable=True))
    op.execute("""update channel_set set sites = '{"kind": "vertices", "level": 0, "follows": null}'""")
    op.alter_column("channel_set", "sites", nullable=False)
    op.add_column("journal_entry", sa.Column("states", JSONB, nullable=True))
    op.create_table(
        "mesh_level",
        sa.Column("surface_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("geometry", sa.String(length=64), nullable=False),
        sa.Column("carry", sa.String(length=64), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.ForeignKeyConstraint(
            ["surface_id"], ["surface.id"], name=op.f("fk_mesh_level_surface_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["geometry"], ["blob.sha"], name=op.f("fk_mesh_level_geometry")),
        sa.ForeignKeyConstraint(["carry"], ["blob.sha"], name=op.f("fk_mesh_level_carry")),
        sa.PrimaryKeyConstraint("surface_id", "number", name=op.f("pk_mesh_level")),
    )
    op.create_table(
        "step_picture",
        sa.Column("surface_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.BigInteger(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(
            ["surface_id"], ["surface.id"], name=op.f("fk_step_picture_surface_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("surface_id", "number", name=op.f("pk_step_picture")),
    )
    op.create_table(
        "snapshot",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("surface_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("entry", sa.BigInteger(), nullable=False),
        sa.Column("state", sa.String(length=64), nullable=False),
        _made_at("made_at"),
        sa.ForeignKeyConstraint(
            ["surface_id"], ["surface.id"], name=op.f("fk_snapshot_surface_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["state"], ["blob.sha"], name=op.f("fk_snapshot_state")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_snapshot")),
    )
    op.create_index(op.f("ix_snapshot_surface_id"), "snapshot", ["surface_id"], unique=False)
    op.create_table(
        "stencil",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("project_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("image", sa.String(length=64), nullable=False),
        _made_at("created_at"),
        sa.ForeignKeyConstraint(
            ["project_id"], ["project.id"], name=op.f("fk_stencil_project_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["image"], ["blob.sha"], name=op.f("fk_stencil_image")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_stencil")),
    )
    op.create_index(op.f("ix_stencil_project_id"), "stencil", ["project_id"], unique=False)


def downgrade() -> None:
    op.drop_table("stencil")
    op.drop_table("snapshot")
    op.drop_table("step_picture")
    op.drop_table("mesh_level")
    op.drop_column("journal_entry", "states")
    op.drop_column("channel_set", "sites")
    op.drop_constraint(op.f("fk_surface_geometry"), "surface", type_="foreignkey")
    op.drop_column("surface", "geometry")
