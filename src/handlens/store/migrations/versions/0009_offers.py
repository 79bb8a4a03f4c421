"""Offers are tried after the verdict; what is looked up by a foreign key, or by what a job is about, has an index."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None

_KEYS = [
    ("drop", "model_id"),
    ("drop_file", "content_id"),
    ("revision", "thumbnail_id"),
    ("revision_file", "content_id"),
    ("inspection", "stage_id"),
    ("inspection", "full_stage_id"),
    ("inspection", "scene_id"),
    ("comparison", "later_id"),
    ("export", "stage_id"),
    ("export_file", "export_id"),
    ("export_file", "content_id"),
]


def upgrade() -> None:
    # What was read before had its offers tried while it was read.
    op.add_column("inspection", sa.Column("offers", sa.String(12), nullable=False, server_default="done"))
    op.alter_column("inspection", "offers", server_default=None)
    op.add_column("inspection", sa.Column("coarse", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("inspection", "coarse", server_default=None)
    # Pictures and packed geometry do not shrink any more: trying to takes longer than storing them.
    op.execute("ALTER TABLE content_chunk ALTER COLUMN data SET STORAGE EXTERNAL")
    op.execute("ALTER TABLE inspection ALTER COLUMN measures SET STORAGE EXTERNAL")
    op.execute("ALTER TABLE evidence ALTER COLUMN indices SET STORAGE EXTERNAL")
    for table, column in _KEYS:
        op.create_index(f"ix_{table}_{column}", table, [column])
    for name in ("inspection", "revision"):
        op.create_index(f"job_{name}", "job", [sa.text(f"((subject ->> '{name}')::integer)")])


def downgrade() -> None:
    for name in ("inspection", "revision"):
        op.drop_index(f"job_{name}", "job")
    for table, column in _KEYS:
        op.drop_index(f"ix_{table}_{column}", table)
    for table, column in (("content_chunk", "data"), ("inspection", "measures"), ("evidence", "indices")):
        op.execute(f"ALTER TABLE {table} ALTER COLUMN {column} SET STORAGE EXTENDED")
    op.drop_column("inspection", "coarse")
    op.drop_column("inspection", "offers")
