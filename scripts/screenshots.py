"""Takes the pictures of docs/screenshots from the demo data, at 1280 x 800.

    .venv/bin/python scripts/screenshots.py

Starts a database and a server of its own in a temporary folder; the interface must have been built
(./start does).
"""

import json
import sys
import tempfile
import threading
import time
from pathlib import Path
from urllib.parse import quote

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
sys.path.insert(0, str(ROOT / "tests" / "support"))
from pages import Browser, chromium  # noqa: E402


# One picture after the other.
def pictures(browser: Browser, study: str) -> None:  # noqa: PLR0915
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
    browser.see("nothing has been imported yet")
    shot("preview", browser.driver.current_url.removeprefix(browser.address), "nothing has been imported yet")
    shot("questionnaire", f"{here}/codebook", "on the scale frequency")
    into_sight = "arguments[0].scrollIntoView({block: 'center'})"
    browser.driver.execute_script(into_sight, browser.all('[aria-label^="Battery ferry_runs_need"]')[0])
    time.sleep(0.4)
    browser.driver.save_screenshot(str(OUT / "questionnaire.png"))
    shot("codebook", f"{here}/codebook/ferry_runs_need", "also used by")
    shot("screening", f"{here}/screening/too_fast", "The cells")
    shot("cells", f"{here}/screening/cells?where=age%20%3E%2080&sort=fare_spend", "of 2,268 cases")
    shot("flow", f"{here}/screening/flow", "Restore them all")
    shot("ledger", f"{here}/screening?ledger=true", "reason: made by our own staff", "open-13")
    shot("margin", f"{here}/weighting/margin-0", "Woman, 18 to 34")
    shot("tables", f"{here}/tables/need", "Base (unweighted)")
    browser.all("tbody td button:not([disabled])")[1].click()
    browser.see("Difference from the other column")
    time.sleep(0.4)
    browser.driver.save_screenshot(str(OUT / "tables.png"))
    figure = {"stub": {"variable": "ferry_runs_need", "code": 4}, "banner": [], "stat": "col_pct"}
    shot("depends", f"{here}/tables/_depends.need?figure={quote(json.dumps(figure))}", "decisions 2 move it")
    shot("model", f"{here}/tables/model.weekly", "Odds ratio, on a log axis")
    shot("correlations", f"{here}/tables/pairs.views", "Press a pair for details")
    browser.go(f"{here}/intake")
    browser.give_file("bring-newer", FILES / "answers-second-delivery.xlsx")
    browser.see("Tied to the job")
    shot("newer", browser.driver.current_url.removeprefix(browser.address), "Tied to the job")
    shot("release", f"{here}/release", "142 degrees of freedom")
    shot("weighting", f"{here}/weighting", "Heaviest cases")
    browser.act("copy-weighting")
    browser.see("weight2")
    browser.follow("Limits")
    browser.see("Effect of the upper limit")
    browser.fill("Upper limit", "2.5", enter=True)
    browser.see("0 to 2.5 times the mean")
    browser.until(lambda: "Recalculating" not in browser.text(), "the figures of the new limit")
    time.sleep(0.6)
    browser.driver.save_screenshot(str(OUT / "limits.png"))
    browser.follow("Compare weights")
    browser.see("Effect on estimates")
    time.sleep(0.6)
    browser.driver.save_screenshot(str(OUT / "compare.png"))
    browser.go(f"{here}/tables/ferry")
    browser.see("In words")
    browser.act("show-picture")
    browser.until(lambda: browser.all("figure svg[role=img] rect"), "the picture")
    browser.driver.execute_script("arguments[0].scrollIntoView()", browser.all('[aria-label="Charts"]')[0])
    time.sleep(0.6)
    browser.driver.save_screenshot(str(OUT / "picture.png"))


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
                study = load_demo(session, app.state.pipelines)
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
