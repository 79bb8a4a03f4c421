"""Alembic migrations, run from code: no ini file is needed."""
