"""A private MariaDB for the tests, and applications on fresh databases in it."""

import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
import structlog
from calls import Api
from fastapi.testclient import TestClient
from hypothesis import settings
from sqlalchemy import Engine, text

from even_ballot.api.app import make_app
from even_ballot.services.workers.helper_processes import DEPENDING
from even_ballot.store.database import connect, migrate
from even_ballot.store.models import Base
from even_ballot.store.server import MariaServer

# A slow machine is no fault; in CI the same examples each time, so that a landing never hangs on luck.
settings.register_profile("here", deadline=None)
settings.register_profile("ci", deadline=None, derandomize=True)
settings.load_profile("ci" if os.environ.get("CI") else "here")
# Tracebacks with the values of everything in sight take a minute to be drawn.
structlog.configure(
    processors=[
        structlog.processors.add_log_level,
        structlog.dev.ConsoleRenderer(exception_formatter=structlog.dev.plain_traceback),
    ]
)
# Beside other tests on as few processors a nice one would be starved.
DEPENDING.nice = 0

LONGEST = ("browser", "hostile", "services", "api", "formats")
"""Folders of tests that wait for browsers and servers, or take long: they begin first, so that none of their
files is left over at the end."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    here = Path(__file__).parent
    order = {here / name: k for k, name in enumerate(LONGEST)}
    items.sort(key=lambda item: min((k for at, k in order.items() if at in item.path.parents), default=9))


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption(
        "--far",
        type=float,
        default=0.0,
        metavar="SECONDS",
        help="the server of browser tests answers this much later: shows races",
    )
    parser.addoption(
        "--studies",
        type=int,
        default=200,
        help="random studies held against a second reading of the definitions",
    )
    parser.addoption(
        "--files",
        type=int,
        default=200,
        help="hostile and odd files read through the command line and the API",
    )
    parser.addoption(
        "--examples",
        type=int,
        default=8,
        help="how often each operation of the API is asked what its schema allows",
    )
    parser.addoption(
        "--documents",
        type=int,
        default=60,
        help="mutated study documents, and mutated ledgers, laid on a study whose pages are all opened",
    )
    parser.addoption(
        "--record", action="store_true", help="write the answers that components are tested with anew"
    )
    parser.addoption(
        "--kills", type=int, default=10, help="times a server is killed in the middle of changes"
    )


@pytest.fixture(scope="session")
def mariadb(tmp_path_factory: pytest.TempPathFactory) -> Iterator[MariaServer]:
    """A server of its own on loopback, stopped at the end."""
    server = MariaServer(tmp_path_factory.mktemp("mariadb"))
    server.start()
    yield server
    server.stop()


@pytest.fixture
def engine(mariadb: MariaServer) -> Iterator[Engine]:
    """An empty, migrated database."""
    made = emptied(mariadb)
    yield made
    made.dispose()


@pytest.fixture
def api(engine: Engine) -> Iterator[Api]:
    with TestClient(
        make_app(engine), base_url="http://127.0.0.1:8410", raise_server_exceptions=False
    ) as client:
        yield Api(client)


@pytest.fixture(scope="module")
def module_engine(mariadb: MariaServer) -> Iterator[Engine]:
    """An empty, migrated database for all tests of a file."""
    made = emptied(mariadb, 32)
    yield made
    made.dispose()


@pytest.fixture
def demo(api: Api) -> dict[str, Any]:
    """The demo study, as the list shows it and its page reads it."""
    return api("GET", f"/studies/{api('POST', '/studies/demo')['id']}")


@pytest.fixture
def small(api: Api) -> dict[str, Any]:
    """A study of a few cases."""
    content = b"id,q,age,sex\n1,yes,20,1\n2,no,35,2\n3,YES,61,1\n4,,44,2\n5,maybe,18,2\n"
    file = api.bring("answers.csv", content)
    return api(
        "GET", f"/studies/{api('POST', '/studies', json={'title': 'Small', 'file': file['id']})['id']}"
    )


def emptied(server: MariaServer, connections: int = 8) -> Engine:
    """A connection to the migrated database with nothing in it."""
    made = connect(server.url, connections)
    migrate(made)
    with made.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        for table in Base.metadata.tables:
            connection.execute(text(f"DELETE FROM `{table}`"))
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 1"))
    return made


@pytest.fixture(scope="session")
def web() -> Path:
    """The built interface."""
    folder = Path(__file__).parent.parent / "web" / "dist"
    assert (folder / "index.html").exists(), "build the interface first: ./test does"
    return folder
