"""The connection to MariaDB, and its migrations."""

from pathlib import Path

from sqlalchemy import Engine, create_engine, text
from sqlalchemy.engine import URL
from sqlalchemy.exc import ProgrammingError

MIGRATIONS = Path(__file__).parent / "migrations"


def connect(url: URL | str) -> Engine:
    """An engine with a small pool; connections that the server has dropped are replaced before they are used."""
    return create_engine(url, pool_pre_ping=True, pool_recycle=1800, pool_size=8, max_overflow=8, isolation_level="READ COMMITTED")


def newest_revision() -> str:
    """The revision that the migrations lead to: each file's name begins with its own."""
    return max(path.name for path in (MIGRATIONS / "versions").glob("[0-9]*.py")).split("_")[0]


def _current_revision(engine: Engine) -> str | None:
    try:
        with engine.connect() as connection:
            found: str | None = connection.scalar(text("SELECT version_num FROM alembic_version"))
            return found
    except ProgrammingError:
        return None


def migrate(engine: Engine) -> None:
    """Brings the tables up to date."""
    if _current_revision(engine) == newest_revision():
        return
    # Imported only where there is something to migrate: it would cost every start a third of a second.
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
