"""How long the server takes over a change in the browser, on the demo: a target, a switch, a filter.

    .venv/bin/python benchmarks/interactive.py

Starts a MariaDB and a server of its own in a temporary folder; prints, for each change, the server's own
time (its Server-Timing) for saving the change and for the table that follows, as the browser asks for
them.
"""

import os
import statistics
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import structlog
from fastapi.testclient import TestClient
from sqlalchemy.orm import Session

from even_ballot.api.app import make_app
from even_ballot.core.numerics.compiled import prepare
from even_ballot.services.demo import load_demo
from even_ballot.store.database import connect, migrate
from even_ballot.store.server import MariaServer

Change = Callable[[dict[str, Any], int], dict[str, Any]]


def target(document: dict[str, Any], k: int) -> dict[str, Any]:
    weighting = document["weightings"][0]
    margin = weighting["margins"][1]
    by = 10 * (k + 1)
    moved = [
        {**t, "value": t["value"] + (-by if i == 0 else by if i == 3 else 0)}
        for i, t in enumerate(margin["targets"])
    ]
    return {
        "weightings": [
            {
                **weighting,
                "margins": [weighting["margins"][0], {**margin, "targets": moved}, *weighting["margins"][2:]],
            }
        ]
    }


def switch(document: dict[str, Any], k: int) -> dict[str, Any]:
    ledger = [dict(step) for step in document["ledger"]]
    ledger[3]["off"] = k % 2 == 0
    ledger[3]["why"] = f"try {k}"
    return {"ledger": ledger}


def domain(document: dict[str, Any], k: int) -> dict[str, Any]:
    return {"tables": [{**document["tables"][0], "where": f"age >= {20 + k}"}, *document["tables"][1:]]}


def took(response: Any) -> float:
    response.raise_for_status()
    return float(response.headers["server-timing"].removeprefix("server;dur="))


def main() -> None:
    structlog.configure(logger_factory=structlog.WriteLoggerFactory(file=open(os.devnull, "w")))  # noqa: SIM115
    with tempfile.TemporaryDirectory() as folder:
        database = MariaServer(Path(folder) / "db")
        database.start()
        try:
            engine = connect(database.url)
            migrate(engine)
            prepare()
            app = make_app(engine)
            with Session(engine) as session, session.begin():
                study = load_demo(session, app.state.pipelines)
            with TestClient(app, base_url="http://127.0.0.1") as client:
                path = f"/api/v1/studies/{study}"
                table = f"{path}/tables/need"
                client.get(path)
                client.get(table)
                print(
                    f"{'change':<28}{'save, median':>14}{'table, median':>15}{'both, largest':>15}   "
                    "(server ms, 20 runs)"
                )
                changes: list[tuple[str, Change]] = [
                    ("a target", target),
                    ("an entry switched", switch),
                    ("a filter", domain),
                ]
                for name, change in changes:
                    saves, tables = [], []
                    for k in range(20):
                        state = client.get(path).json()
                        parts = change(state["document"], k)
                        saves.append(
                            took(client.patch(path, json={"edition": state["edition"], "parts": parts}))
                        )
                        tables.append(took(client.get(table)))
                    both = max(a + b for a, b in zip(saves, tables, strict=True))
                    print(
                        f"{name:<28}{statistics.median(saves):14.0f}{statistics.median(tables):15.0f}{both:15.0f}"
                    )
            engine.dispose()
        finally:
            database.stop()


if __name__ == "__main__":
    main()
