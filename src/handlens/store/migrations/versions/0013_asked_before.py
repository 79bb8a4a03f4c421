"""What a destination would say to an export that is not written yet."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "asking",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("inspection_id", sa.Integer(), sa.ForeignKey("inspection.id", ondelete="CASCADE"), nullable=False),
        sa.Column("key", sa.String(64), nullable=False),
        sa.Column("wish", JSONB(), nullable=False),
        sa.Column("state", sa.String(12), nullable=False),
        sa.Column("error", sa.Text(), nullable=True),
        sa.Column("answer", JSONB(), nullable=True),
        sa.Column("files", JSONB(), nullable=False),
        sa.Column("picture_id", sa.BigInteger(), sa.ForeignKey("content.id"), nullable=True, index=True),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.UniqueConstraint("inspection_id", "key"),
    )


def downgrade() -> None:
    op.drop_table("asking")
