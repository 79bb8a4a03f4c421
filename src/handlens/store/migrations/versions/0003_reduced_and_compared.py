"""Full display copies beside reduced ones, what was measured anew, comparisons of inspections."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("inspection", sa.Column("full_stage_id", sa.BigInteger(), sa.ForeignKey("content.id"), nullable=True))
    op.add_column("inspection", sa.Column("measured", postgresql.JSONB(astext_type=sa.Text()), nullable=True))
    op.create_table(
        "comparison",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("earlier_id", sa.Integer(), nullable=False),
        sa.Column("later_id", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("error", sa.Text(), nullable=True),
        sa.Column("rows", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["earlier_id"], ["inspection.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["later_id"], ["inspection.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("earlier_id", "later_id"),
    )


def downgrade() -> None:
    op.drop_table("comparison")
    op.drop_column("inspection", "measured")
    op.drop_column("inspection", "full_stage_id")
