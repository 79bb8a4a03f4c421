"""All that is shown of a judgement, kept when it is made: the ledger, and where each finding lies; and mended scenes."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # Reports of before lack the ledger; they are made anew from the measures when they are asked for.
    op.execute("DELETE FROM judgement")
    op.add_column("judgement", sa.Column("ledger", JSONB(), nullable=False))
    op.add_column("judgement", sa.Column("marks", JSONB(), nullable=False))
    op.create_table(
        "evidence",
        sa.Column("inspection_id", sa.Integer(), sa.ForeignKey("inspection.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("digest", sa.String(32), primary_key=True),
        sa.Column("indices", sa.LargeBinary(), nullable=False),
    )
    op.add_column("inspection", sa.Column("scene_id", sa.BigInteger(), sa.ForeignKey("content.id"), nullable=True))


def downgrade() -> None:
    op.drop_column("inspection", "scene_id")
    op.drop_table("evidence")
    op.drop_column("judgement", "marks")
    op.drop_column("judgement", "ledger")
