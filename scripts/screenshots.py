"""Takes the pictures of docs/screenshots from the demo data, at 1280 x 800.

    .venv/bin/python scripts/screenshots.py

Starts a database and a server of its own in a temporary folder; the interface must have been built (./start does).
"""

import sys
import tempfile
import threading
import time
from pathlib import Path

import structlog
import uvicorn
from sqlalchemy.orm import Session

from even_ballot.api.app import make_app
from even_ballot.demo import FILES
from even_ballot.services.demo import load_demo
from even_ballot.store.database import connect, migrate
from even_ballot.store.server import MariaServer, free_port

ROOT = Path(__file__).parents[1]
OUT = ROOT / "docs" / "screenshots"
sys.path.insert(0, str(ROOT / "tests"))
from pages import Browser, chromium  # noqa: E402


def pictures(browser: Browser, study: str) -> None:
    """One picture of each main view."""

    def shot(name: str, path: str, text: str, *actions: str) -> None:
        browser.go(path)
        browser.see(text)
        for action in actions:
            browser.act(action)
        time.sleep(0.6)
        browser.driver.save_screenshot(str(OUT / f"{name}.png"))
        print(OUT / f"{name}.png")

    here = f"/study/{study}"
    shot("studies", "/", "Drop a file of answers here")
    browser.give_file("choose-file", FILES / "answers.csv")
    browser.see("Nothing has been taken over yet")
    shot("preview", browser.driver.current_url.removeprefix(browser.address), "Nothing has been taken over yet")
    shot("intake", f"{here}/intake/frame", "Look these columns up")
    shot("codebook", f"{here}/codebook/ferry_runs_need", "also used by")
    shot("turn-round", f"{here}/codebook/boats_too_crowded", "also used by", "tool-reverse")
    shot("screening", f"{here}/screening/too_fast", "The cells")
    shot("ledger", f"{here}/screening?ledger=true", "because: made by our own staff")
    shot("weighting", f"{here}/weighting", "Distribution of the weights")
    shot("margin", f"{here}/weighting/margin-0", "Woman, 18 to 34")
    shot("tables", f"{here}/tables/crossing", "Base (unweighted)")
    browser.go(f"{here}/intake")
    browser.give_file("bring-newer", FILES / "answers-second-delivery.xlsx")
    browser.see("Tied to the job")
    shot("newer", browser.driver.current_url.removeprefix(browser.address), "Tied to the job")
    shot("release", f"{here}/release", "142 degrees of freedom")
    shot("palette", f"{here}/weighting", "Distribution of the weights", "palette")
    shot("dark", f"{here}/tables/need", "Base (unweighted)", "theme")


def main() -> None:
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(50))
    OUT.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        database = MariaServer(Path(folder) / "db")
        database.start()
        try:
            engine = connect(database.url)
            migrate(engine)
            app = make_app(engine, ROOT / "web" / "dist")
            with Session(engine) as session, session.begin():
                study = load_demo(session, app.state.bench)
            port = free_port()
            server = uvicorn.Server(uvicorn.Config(app, host="127.0.0.1", port=port, log_config=None))
            threading.Thread(target=server.run, daemon=True).start()
            while not server.started:
                time.sleep(0.05)
            driver = chromium(Path(folder))
            try:
                pictures(Browser(driver, f"http://127.0.0.1:{port}", Path(folder)), str(study))
            finally:
                driver.quit()
            server.should_exit = True
            time.sleep(0.5)
            engine.dispose()
        finally:
            database.stop()


if __name__ == "__main__":
    main()
