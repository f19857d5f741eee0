"""The real interface in headless Chromium, on a server with a fresh database."""

import asyncio
import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from pages import Browser, chromium
from selenium.webdriver import Chrome
from served import served
from sqlalchemy import Engine
from sqlalchemy.orm import Session
from starlette.types import ASGIApp, Receive, Scope, Send

from even_ballot.api.app import make_app
from even_ballot.services.demo import load_demo


class Far:
    """A server that is this many seconds away; a quarter of them where it is only asked for something."""

    def __init__(self, app: ASGIApp, seconds: float) -> None:
        self.app, self.seconds = app, seconds

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http" and scope["path"].startswith("/api/"):
            await asyncio.sleep(self.seconds / (4 if scope["method"] == "GET" else 1))
        await self.app(scope, receive, send)


@pytest.fixture
def address(engine: Engine, web: Path, pytestconfig: pytest.Config) -> Iterator[str]:
    """A server on loopback with the demo study in it."""
    app = make_app(engine, web)
    with Session(engine) as session, session.begin():
        load_demo(session, app.state.pipelines)
    far = pytestconfig.getoption("--far")
    with served(Far(app, far) if far else app) as url:
        yield url


@pytest.fixture(scope="session")
def chrome(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Chrome, Path]]:
    """Chromium, and the folder of its downloads. Every test has a server on a port of its own, so nothing
    of one is left for the next."""
    folder = tmp_path_factory.mktemp("chromium")
    driver = chromium(folder)
    yield driver, folder / "downloads"
    driver.quit()


@pytest.fixture
def browser(address: str, chrome: tuple[Chrome, Path]) -> Iterator[Browser]:
    """A window of 1280 x 800 with nothing in it."""
    driver, downloads = chrome
    shutil.rmtree(downloads, ignore_errors=True)
    driver.get_log("browser")
    yield Browser(driver, address, downloads)
    for extra in driver.window_handles[1:]:
        driver.switch_to.window(extra)
        driver.close()
    driver.switch_to.window(driver.window_handles[0])
    driver.get("about:blank")


@pytest.fixture
def study(browser: Browser) -> str:
    """The address of the demo study."""
    browser.go("/")
    browser.follow("Veldry Isles ferry survey")
    browser.see("Saved at")
    return browser.driver.current_url.removeprefix(browser.address).rsplit("/", 1)[0]
