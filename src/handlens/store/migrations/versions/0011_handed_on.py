"""Rule sheets of one's own with their versions, how an export was wished, and packages that were sent to a destination."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "rule_sheet",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("slug", sa.String(64), nullable=False, unique=True),
        sa.Column("inherits", sa.String(64), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_table(
        "rule_sheet_version",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("sheet_id", sa.Integer(), sa.ForeignKey("rule_sheet.id", ondelete="CASCADE"), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("changes", JSONB(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.UniqueConstraint("sheet_id", "number"),
    )
    op.add_column("export", sa.Column("options", JSONB(), nullable=False, server_default="{}"))
    op.alter_column("export", "options", server_default=None)
    op.create_table(
        "sending",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("export_id", sa.Integer(), sa.ForeignKey("export.id", ondelete="CASCADE"), nullable=False),
        sa.Column("sheet", sa.Text(), nullable=False),
        sa.Column("variant", sa.String(12), nullable=False),
        sa.Column("state", sa.String(12), nullable=False),
        sa.Column("error", sa.Text(), nullable=True),
        sa.Column("answer", JSONB(), nullable=True),
        sa.Column("picture_id", sa.BigInteger(), sa.ForeignKey("content.id"), nullable=True),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("ix_sending_export_id", "sending", ["export_id"])
    op.create_index("ix_sending_picture_id", "sending", ["picture_id"])


def downgrade() -> None:
    op.drop_table("sending")
    op.drop_column("export", "options")
    op.drop_table("rule_sheet_version")
    op.drop_table("rule_sheet")
