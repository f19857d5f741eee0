"""The connection to MariaDB, and its migrations."""

from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import Connection, Delete, Engine, UpdateBase, create_engine, event, text
from sqlalchemy.engine import URL
from sqlalchemy.exc import DBAPIError, InterfaceError, ProgrammingError
from sqlalchemy.orm import ORMExecuteState, Session

from even_ballot.core.faults import Fault
from even_ballot.store.room import NoRoom, has_room

MIGRATIONS = Path(__file__).parent / "migrations"


def connect(url: URL | str, connections: int = 8) -> Engine:
    """An engine with a pool of so many connections; those that the server has dropped are replaced before
    they are used. Where all are taken for a while, sqlalchemy.exc.TimeoutError. What adds to tables or
    changes them raises NoRoom where the disk that the server's socket is on is full."""
    engine = create_engine(
        url,
        pool_pre_ping=True,
        pool_recycle=1800,
        pool_size=connections,
        max_overflow=0,
        pool_timeout=10,
        isolation_level="READ COMMITTED",
        # A socket of our own: reading the machine's certificates takes longer than connecting.
        connect_args={"ssl_disabled": True},
    )
    socket = engine.url.query.get("unix_socket")
    if isinstance(socket, str):
        _look_for_room(engine, Path(socket).parent)
    return engine


def _look_for_room(engine: Engine, folder: Path) -> None:
    """Has the engine look before it writes; removing is always allowed, since it may be what makes room."""

    @event.listens_for(engine, "before_execute")
    def look(connection: Connection, clause: object, *_: object) -> None:
        if isinstance(clause, UpdateBase) and not isinstance(clause, Delete) and not has_room(folder):
            raise NoRoom


class OutcomeUnknown(Exception):
    """The connection broke while a transaction was being committed: it may be saved, or not."""


_LOST = (2002, 2003, 2006, 2013, 2055, 1053, 1927)


def code_of(error: DBAPIError) -> int:
    """MariaDB's number of an error; 0 where it has none."""
    first = error.orig.args[0] if error.orig is not None and error.orig.args else 0
    return first if isinstance(first, int) else 0


def is_lost(error: DBAPIError) -> bool:
    """Whether the database was not there, or went away."""
    return error.connection_invalidated or code_of(error) in _LOST or isinstance(error, InterfaceError)


@dataclass(frozen=True)
class Refusal:
    """What the database refuses for a reason that can be mended: a status of HTTP, and what to say."""

    status: int
    fault: Fault


# MariaDB's numbers: lock wait and deadlock; disk or table full; packet too large; value that does not fit.
FULL = Fault("The disk that the database is on is full; nothing of this was saved.", "", "Make room there.")
_REFUSED = {
    (1205, 1213): Refusal(
        503,
        Fault(
            "Another change was being saved at the same time; nothing of this one was saved.",
            "",
            "Save it again.",
        ),
    ),
    (3, 1021, 1026, 1030, 1114): Refusal(507, FULL),
    (1153, 2020): Refusal(
        413,
        Fault(
            "This is too large to be stored in one piece; nothing of it was saved.", "", "Make it smaller."
        ),
    ),
    (1264, 1366, 1406): Refusal(
        422,
        Fault("A text in this is too long, or holds characters that cannot be stored.", "", "Shorten it."),
    ),
}


def refusal_of(error: DBAPIError) -> Refusal | None:
    """Why the database refused something, where that can be mended."""
    code = code_of(error)
    return next((refusal for codes, refusal in _REFUSED.items() if code in codes), None)


def saved(session: Session) -> None:
    """Commits what was done, and gives the connection back; from here on the session only reads, a file at
    a time. Raises OutcomeUnknown where nobody can say whether it was saved."""
    wrote = bool(session.new or session.dirty or session.deleted) or session.info.pop("wrote", False)
    try:
        session.commit()
    except DBAPIError as error:
        if wrote and is_lost(error):
            raise OutcomeUnknown from error
        raise
    session.info["reads"] = True


def release(session: Session) -> None:
    """Gives the connection of a session that only reads back."""
    if session.info.get("reads"):
        session.commit()


@event.listens_for(Session, "after_flush")
def _wrote(session: Session, context: object) -> None:
    session.info["wrote"] = True


@event.listens_for(Session, "do_orm_execute")
def _writes(state: ORMExecuteState) -> None:
    if not state.is_select:
        state.session.info["wrote"] = True


def newest_revision() -> str:
    """The revision that the migrations lead to: each file's name begins with its own."""
    return max(path.name for path in (MIGRATIONS / "versions").glob("[0-9]*.py")).split("_")[0]


def current_revision(engine: Engine) -> str | None:
    """Which migrations a database has been through; None where it has no tables yet."""
    try:
        with engine.connect() as connection:
            found: str | None = connection.scalar(text("SELECT version_num FROM alembic_version"))
            return found
    except ProgrammingError:
        return None


def migrate(engine: Engine) -> None:
    """Brings the tables up to date."""
    if current_revision(engine) == newest_revision():
        return
    # Imported only where there is something to migrate: it would cost every start a third of a second.
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
