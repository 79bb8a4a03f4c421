"""A comparison says too whether the later revision fits in the earlier one's place; folders that are watched; what an export left behind."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # Comparisons of before do not say it; they are made anew when they are asked for.
    op.execute("DELETE FROM comparison")
    op.add_column("comparison", sa.Column("place", JSONB(), nullable=True))
    op.add_column("export", sa.Column("aside", JSONB(), nullable=False, server_default="[]"))
    op.alter_column("export", "aside", server_default=None)
    op.create_table(
        "watch",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("path", sa.Text(), nullable=False, unique=True),
        sa.Column("models", JSONB(), nullable=False),
        sa.Column("error", sa.Text(), nullable=True),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("watch")
    op.drop_column("export", "aside")
    op.drop_column("comparison", "place")
