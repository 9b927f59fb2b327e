"""The mesh that a file was read as stays beside the one that is painted, so that the file is read once.

Surfaces of before have none: theirs is read from the file again where it is asked for.
"""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("surface", sa.Column("came", sa.String(64), sa.ForeignKey("blob.sha"), nullable=True))


def downgrade() -> None:
    raise NotImplementedError("older versions cannot read what this one stores")
