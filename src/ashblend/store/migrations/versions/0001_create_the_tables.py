"""Create the tables."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "blob",
        sa.Column("sha", sa.String(length=64), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("sha", name=op.f("pk_blob")),
    )
    op.create_table(
        "project",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column(
            "created_at",
            sa.DateTime(timezone=True),
            server_default=sa.text("clock_timestamp()"),
            nullable=False,
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_project")),
    )
    op.create_table(
        "blob_part",
        sa.Column("sha", sa.String(length=64), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(["sha"], ["blob.sha"], name=op.f("fk_blob_part_sha"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("sha", "number", name=op.f("pk_blob_part")),
    )
    op.create_table(
        "material",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("project_id", sa.Uuid(), nullable=False),
        sa.Column("document", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column(
            "created_at",
            sa.DateTime(timezone=True),
            server_default=sa.text("clock_timestamp()"),
            nullable=False,
        ),
        sa.ForeignKeyConstraint(
            ["project_id"], ["project.id"], name=op.f("fk_material_project_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_material")),
    )
    op.create_index(op.f("ix_material_project_id"), "material", ["project_id"], unique=False)
    op.create_table(
        "surface",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("project_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("file_name", sa.String(length=255), nullable=False),
        sa.Column("source", sa.String(length=64), nullable=False),
        sa.Column("facts", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("checkpoint", sa.BigInteger(), nullable=False),
        sa.Column(
            "created_at",
            sa.DateTime(timezone=True),
            server_default=sa.text("clock_timestamp()"),
            nullable=False,
        ),
        sa.ForeignKeyConstraint(
            ["project_id"], ["project.id"], name=op.f("fk_surface_project_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["source"], ["blob.sha"], name=op.f("fk_surface_source")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_surface")),
    )
    op.create_index(op.f("ix_surface_project_id"), "surface", ["project_id"], unique=False)
    op.create_index(op.f("ix_surface_source"), "surface", ["source"], unique=False)
    op.create_table(
        "blend",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("surface_id", sa.Uuid(), nullable=False),
        sa.Column("document", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["surface_id"], ["surface.id"], name=op.f("fk_blend_surface_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_blend")),
    )
    op.create_index(op.f("ix_blend_surface_id"), "blend", ["surface_id"], unique=False)
    op.create_table(
        "channel_set",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("surface_id", sa.Uuid(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("document", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["surface_id"], ["surface.id"], name=op.f("fk_channel_set_surface_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_channel_set")),
    )
    op.create_index(op.f("ix_channel_set_surface_id"), "channel_set", ["surface_id"], unique=False)
    op.create_table(
        "journal_entry",
        sa.Column("surface_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.String(length=12), nullable=False),
        sa.Column("label", sa.String(length=120), nullable=False),
        sa.Column("refers_to", sa.BigInteger(), nullable=True),
        sa.Column("deltas", sa.LargeBinary(), nullable=True),
        sa.Column(
            "made_at", sa.DateTime(timezone=True), server_default=sa.text("clock_timestamp()"), nullable=False
        ),
        sa.ForeignKeyConstraint(
            ["surface_id"], ["surface.id"], name=op.f("fk_journal_entry_surface_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("surface_id", "number", name=op.f("pk_journal_entry")),
    )
    op.create_table(
        "channel_tile",
        sa.Column("channel_set_id", sa.Uuid(), nullable=False),
        sa.Column("channel", sa.Integer(), nullable=False),
        sa.Column("plane", sa.String(length=5), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(
            ["channel_set_id"],
            ["channel_set.id"],
            name=op.f("fk_channel_tile_channel_set_id"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("channel_set_id", "channel", "plane", "number", name=op.f("pk_channel_tile")),
    )
    # These are compressed already; uncompressed storage lets the server read them in slices.
    for table, column in (("blob_part", "data"), ("channel_tile", "data"), ("journal_entry", "deltas")):
        op.execute(f"alter table {table} alter column {column} set storage external")


def downgrade() -> None:
    op.drop_table("channel_tile")
    op.drop_table("journal_entry")
    op.drop_index(op.f("ix_channel_set_surface_id"), table_name="channel_set")
    op.drop_table("channel_set")
    op.drop_index(op.f("ix_blend_surface_id"), table_name="blend")
    op.drop_table("blend")
    op.drop_index(op.f("ix_surface_source"), table_name="surface")
    op.drop_index(op.f("ix_surface_project_id"), table_name="surface")
    op.drop_table("surface")
    op.drop_index(op.f("ix_material_project_id"), table_name="material")
    op.drop_table("material")
    op.drop_table("blob_part")
    op.drop_table("project")
    op.drop_table("blob")
