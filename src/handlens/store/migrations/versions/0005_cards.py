"""What the Shelf says of a model, kept when it is judged, so that a page of it is one look into the database."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "card",
        sa.Column("model_id", sa.Integer(), sa.ForeignKey("model.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("version", sa.String(64), nullable=False),
        sa.Column("inspection_id", sa.Integer(), nullable=True),
        sa.Column("triangles", sa.BigInteger(), nullable=True),
        sa.Column("longest_m", sa.Float(), nullable=True),
        sa.Column("unit_stated", sa.Boolean(), nullable=False),
        sa.Column("held", sa.Boolean(), nullable=False),
        sa.Column("fit", sa.Boolean(), nullable=False),
        sa.Column("verdicts", JSONB(), nullable=False),
    )
    op.create_index("model_touched", "model", ["touched", "id"])
    op.create_index("inspection_state", "inspection", ["state"])


def downgrade() -> None:
    op.drop_index("inspection_state", "inspection")
    op.drop_index("model_touched", "model")
    op.drop_table("card")
