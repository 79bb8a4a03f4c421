"""What was read back of an export, where it differs from what was sent."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("export", sa.Column("stage_id", sa.BigInteger(), sa.ForeignKey("content.id"), nullable=True))


def downgrade() -> None:
    op.drop_column("export", "stage_id")
