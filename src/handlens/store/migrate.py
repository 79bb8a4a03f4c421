"""Bring the database to the wanted version."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config

from .database import engine


def _config(connection) -> Config:  # type: ignore[no-untyped-def]
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["connection"] = connection
    return config


def upgrade(to: str = "head", url: str | None = None) -> None:
    """Bring the database up to a version, the newest by default."""
    with engine(url).begin() as connection:
        command.upgrade(_config(connection), to)


def downgrade(to: str = "base", url: str | None = None) -> None:
    """Bring the database back to a version."""
    with engine(url).begin() as connection:
        command.downgrade(_config(connection), to)


def differences(url: str | None = None) -> list[object]:
    """What the models say that the migrated database does not: empty when they agree."""
    from alembic.autogenerate import compare_metadata
    from alembic.migration import MigrationContext

    from .models import Base

    def ours(name: str | None, kind: str, parents: object) -> bool:
        return not (kind == "table" and (name or "").startswith("procrastinate"))

    with engine(url).connect() as connection:
        context = MigrationContext.configure(connection, opts={"include_name": ours, "compare_type": True})
        return list(compare_metadata(context, Base.metadata))


if __name__ == "__main__":
    upgrade()
