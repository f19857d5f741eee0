"""The connection to MariaDB, and its migrations."""

from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine
from sqlalchemy.engine import URL

MIGRATIONS = Path(__file__).parent / "migrations"


def connect(url: URL | str) -> Engine:
    """An engine with a small pool; connections that the server has dropped are replaced before they are used."""
    return create_engine(url, pool_pre_ping=True, pool_recycle=1800, pool_size=8, max_overflow=8, isolation_level="READ COMMITTED")


def migrate(engine: Engine) -> None:
    """Brings the tables up to date."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
