"""Ways to Fit, rules for choices on them, and what only one destination needs."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "way",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("inspection_id", sa.Integer(), sa.ForeignKey("inspection.id", ondelete="CASCADE"), nullable=False),
        sa.Column("key", sa.String(64), nullable=False),
        sa.Column("wish", JSONB(), nullable=False),
        sa.Column("state", sa.String(12), nullable=False),
        sa.Column("error", sa.Text(), nullable=True),
        sa.Column("way", JSONB(), nullable=True),
        sa.Column("picture_id", sa.BigInteger(), sa.ForeignKey("content.id"), nullable=True, index=True),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.UniqueConstraint("inspection_id", "key"),
    )
    op.create_table(
        "way_rule",
        sa.Column("check", sa.String(120), primary_key=True),
        sa.Column("mend", sa.Text(), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
    )
    op.add_column("revision", sa.Column("branches", JSONB(), nullable=False, server_default="{}"))
    op.alter_column("revision", "branches", server_default=None)


def downgrade() -> None:
    op.drop_column("revision", "branches")
    op.drop_table("way_rule")
    op.drop_table("way")
