"""Many at once: batches with their rows; folders, tags and words of models; models that were taken off and can be brought back."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for table, column in (
        ("model", sa.Column("folder", sa.Text(), nullable=False, server_default="")),
        ("model", sa.Column("tags", JSONB(), nullable=False, server_default="[]")),
        ("card", sa.Column("words", sa.Text(), nullable=False, server_default="")),
    ):
        op.add_column(table, column)
        op.alter_column(table, column.name, server_default=None)
    op.add_column("model", sa.Column("taken_off", sa.DateTime(timezone=True), nullable=True))
    op.create_index("model_folder", "model", ["folder"])
    op.create_index("job_under_way", "job", ["state"], postgresql_where=sa.text("state IN ('waiting', 'running')"))
    # What was kept of models before has no words to be found by.
    op.execute("UPDATE card SET version = ''")
    op.add_column("content", sa.Column("stored", sa.Boolean(), nullable=False, server_default="false"))
    op.alter_column("content", "stored", server_default=None)
    op.create_table("gone_object", sa.Column("sha256", sa.String(64), primary_key=True))
    op.create_table(
        "about",
        sa.Column("key", sa.String(40), primary_key=True),
        sa.Column("value", sa.Text(), nullable=False),
    )
    op.create_table(
        "batch",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("sheet", sa.Text(), nullable=False),
        sa.Column("state", sa.String(12), nullable=False),
        sa.Column("step", sa.String(12), nullable=False),
        sa.Column("wish", JSONB(), nullable=False),
        sa.Column("began", sa.DateTime(timezone=True), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_table(
        "batch_row",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("batch_id", sa.Integer(), sa.ForeignKey("batch.id", ondelete="CASCADE"), nullable=False),
        sa.Column("model_id", sa.Integer(), sa.ForeignKey("model.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("step", sa.String(12), nullable=False),
        sa.Column("state", sa.String(12), nullable=False),
        sa.Column("error", sa.Text(), nullable=True),
        sa.Column("turn", sa.Float(), nullable=False),
        sa.Column("revision_id", sa.Integer(), nullable=True),
        sa.Column("inspection_id", sa.Integer(), sa.ForeignKey("inspection.id", ondelete="SET NULL"), nullable=True, index=True),
        sa.Column("way_id", sa.Integer(), sa.ForeignKey("way.id", ondelete="SET NULL"), nullable=True, index=True),
        sa.Column("export_id", sa.Integer(), sa.ForeignKey("export.id", ondelete="SET NULL"), nullable=True, index=True),
        sa.Column("verdict", JSONB(), nullable=True),
        sa.Column("first", JSONB(), nullable=True),
        sa.Column("stations", JSONB(), nullable=False),
        sa.Column("findings", JSONB(), nullable=False),
        sa.Column("trial", JSONB(), nullable=True),
        sa.Column("laid", sa.Integer(), nullable=True),
        sa.Column("ended", sa.DateTime(timezone=True), nullable=True),
        sa.UniqueConstraint("batch_id", "model_id"),
    )
    op.create_index("batch_row_turn", "batch_row", ["batch_id", "state", "turn"])
    op.add_column("watch", sa.Column("batch_id", sa.Integer(), sa.ForeignKey("batch.id", ondelete="SET NULL"), nullable=True))


def downgrade() -> None:
    op.drop_column("watch", "batch_id")
    op.drop_table("batch_row")
    op.drop_table("batch")
    op.drop_table("about")
    op.drop_table("gone_object")
    op.drop_column("content", "stored")
    op.drop_index("job_under_way", "job")
    op.drop_index("model_folder", "model")
    op.drop_column("card", "words")
    for column in ("taken_off", "tags", "folder"):
        op.drop_column("model", column)
