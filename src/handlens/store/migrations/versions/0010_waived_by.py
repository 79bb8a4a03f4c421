"""Who accepted a finding, where they say so."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("waiver", sa.Column("by", sa.Text(), nullable=False, server_default=""))
    op.alter_column("waiver", "by", server_default=None)


def downgrade() -> None:
    op.drop_column("waiver", "by")
