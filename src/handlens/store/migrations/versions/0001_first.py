"""The first tables, and the queue's own in a schema apart."""

import sqlalchemy as sa
from alembic import op
from procrastinate.schema import SchemaManager
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('content',
    sa.Column('id', sa.BigInteger(), nullable=False),
    sa.Column('sha256', sa.String(length=64), nullable=True),
    sa.Column('bytes', sa.BigInteger(), nullable=False),
    sa.Column('created', sa.DateTime(timezone=True), nullable=False),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('sha256')
    )
    op.create_table('job',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('kind', sa.String(length=16), nullable=False),
    sa.Column('title', sa.Text(), nullable=False),
    sa.Column('subject', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.Column('state', sa.String(length=12), nullable=False),
    sa.Column('phase', sa.Text(), nullable=False),
    sa.Column('share', sa.Double(), nullable=False),
    sa.Column('error', sa.Text(), nullable=True),
    sa.Column('stop_wanted', sa.Boolean(), nullable=False),
    sa.Column('created', sa.DateTime(timezone=True), nullable=False),
    sa.Column('updated', sa.DateTime(timezone=True), nullable=False),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_index('job_updated', 'job', ['updated'], unique=False)
    op.create_table('model',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('name', sa.Text(), nullable=False),
    sa.Column('sheet', sa.Text(), nullable=False),
    sa.Column('intent', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.Column('demo', sa.Boolean(), nullable=False),
    sa.Column('created', sa.DateTime(timezone=True), nullable=False),
    sa.Column('touched', sa.DateTime(timezone=True), nullable=False),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_table('content_chunk',
    sa.Column('content_id', sa.BigInteger(), nullable=False),
    sa.Column('number', sa.Integer(), nullable=False),
    sa.Column('data', sa.LargeBinary(), nullable=False),
    sa.ForeignKeyConstraint(['content_id'], ['content.id'], ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('content_id', 'number')
    )
    op.create_table('drop',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('model_id', sa.Integer(), nullable=True),
    sa.Column('created', sa.DateTime(timezone=True), nullable=False),
    sa.ForeignKeyConstraint(['model_id'], ['model.id'], ondelete='SET NULL'),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_table('revision',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('model_id', sa.Integer(), nullable=False),
    sa.Column('number', sa.Integer(), nullable=False),
    sa.Column('main', sa.Text(), nullable=False),
    sa.Column('tape_at', sa.Integer(), nullable=False),
    sa.Column('thumbnail_id', sa.BigInteger(), nullable=True),
    sa.Column('created', sa.DateTime(timezone=True), nullable=False),
    sa.ForeignKeyConstraint(['model_id'], ['model.id'], ondelete='CASCADE'),
    sa.ForeignKeyConstraint(['thumbnail_id'], ['content.id'], ),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('model_id', 'number')
    )
    op.create_index(op.f('ix_revision_model_id'), 'revision', ['model_id'], unique=False)
    op.create_table('drop_file',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('drop_id', sa.Integer(), nullable=False),
    sa.Column('path', sa.Text(), nullable=False),
    sa.Column('content_id', sa.BigInteger(), nullable=False),
    sa.ForeignKeyConstraint(['content_id'], ['content.id'], ),
    sa.ForeignKeyConstraint(['drop_id'], ['drop.id'], ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('drop_id', 'path')
    )
    op.create_table('export',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('revision_id', sa.Integer(), nullable=False),
    sa.Column('tape', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.Column('format', sa.String(length=12), nullable=False),
    sa.Column('sheet', sa.Text(), nullable=False),
    sa.Column('state', sa.String(length=12), nullable=False),
    sa.Column('error', sa.Text(), nullable=True),
    sa.Column('proof', postgresql.JSONB(astext_type=sa.Text()), nullable=True),
    sa.Column('lost', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.Column('created', sa.DateTime(timezone=True), nullable=False),
    sa.ForeignKeyConstraint(['revision_id'], ['revision.id'], ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_index(op.f('ix_export_revision_id'), 'export', ['revision_id'], unique=False)
    op.create_table('inspection',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('revision_id', sa.Integer(), nullable=False),
    sa.Column('tape_key', sa.String(length=64), nullable=False),
    sa.Column('tape', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.Column('state', sa.String(length=12), nullable=False),
    sa.Column('error', sa.Text(), nullable=True),
    sa.Column('source', postgresql.JSONB(astext_type=sa.Text()), nullable=True),
    sa.Column('runs', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.Column('measures', sa.LargeBinary(), nullable=True),
    sa.Column('stage_id', sa.BigInteger(), nullable=True),
    sa.Column('seconds', postgresql.JSONB(astext_type=sa.Text()), nullable=True),
    sa.Column('lost', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.Column('created', sa.DateTime(timezone=True), nullable=False),
    sa.ForeignKeyConstraint(['revision_id'], ['revision.id'], ondelete='CASCADE'),
    sa.ForeignKeyConstraint(['stage_id'], ['content.id'], ),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('revision_id', 'tape_key')
    )
    op.create_table('revision_file',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('revision_id', sa.Integer(), nullable=False),
    sa.Column('path', sa.Text(), nullable=False),
    sa.Column('content_id', sa.BigInteger(), nullable=False),
    sa.ForeignKeyConstraint(['content_id'], ['content.id'], ),
    sa.ForeignKeyConstraint(['revision_id'], ['revision.id'], ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('revision_id', 'path')
    )
    op.create_table('tape_state',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('revision_id', sa.Integer(), nullable=False),
    sa.Column('number', sa.Integer(), nullable=False),
    sa.Column('slips', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.ForeignKeyConstraint(['revision_id'], ['revision.id'], ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('revision_id', 'number')
    )
    op.create_table('export_file',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('export_id', sa.Integer(), nullable=False),
    sa.Column('path', sa.Text(), nullable=False),
    sa.Column('content_id', sa.BigInteger(), nullable=False),
    sa.ForeignKeyConstraint(['content_id'], ['content.id'], ),
    sa.ForeignKeyConstraint(['export_id'], ['export.id'], ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_table('judgement',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('inspection_id', sa.Integer(), nullable=False),
    sa.Column('sheet', sa.Text(), nullable=False),
    sa.Column('key', sa.String(length=64), nullable=False),
    sa.Column('report', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.ForeignKeyConstraint(['inspection_id'], ['inspection.id'], ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('inspection_id', 'sheet', 'key')
    )
    _queue_up()


def _queue_up() -> None:
    """The queue library's schema, in the schema `queue`, which the search path of every connection ends with."""
    connection = op.get_bind()
    connection.exec_driver_sql("CREATE SCHEMA queue")
    connection.exec_driver_sql("SET LOCAL search_path TO queue")
    cursor = connection.connection.cursor()
    cursor.execute(SchemaManager.get_schema().encode())
    cursor.close()
    connection.exec_driver_sql("SET LOCAL search_path TO public, queue")


def downgrade() -> None:
    op.get_bind().exec_driver_sql("DROP SCHEMA queue CASCADE")
    op.drop_table('judgement')
    op.drop_table('export_file')
    op.drop_table('tape_state')
    op.drop_table('revision_file')
    op.drop_table('inspection')
    op.drop_index(op.f('ix_export_revision_id'), table_name='export')
    op.drop_table('export')
    op.drop_table('drop_file')
    op.drop_index(op.f('ix_revision_model_id'), table_name='revision')
    op.drop_table('revision')
    op.drop_table('drop')
    op.drop_table('content_chunk')
    op.drop_table('model')
    op.drop_index('job_updated', table_name='job')
    op.drop_table('job')
    op.drop_table('content')
