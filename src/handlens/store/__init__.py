"""PostgreSQL through SQLAlchemy: typed models, migrations, the content store."""
