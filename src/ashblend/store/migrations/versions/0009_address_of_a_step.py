"""Which channel a step changed, where it was one."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("journal_entry", sa.Column("address", JSONB(), nullable=True))


def downgrade() -> None:
    raise NotImplementedError("older versions cannot read what this one stores")
