"""The API on a fresh database, called as a browser would."""

import time
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import pytest
from fastapi.testclient import TestClient
from httpx import Response
from sqlalchemy import Engine

from even_ballot.api.app import make_app


@dataclass
class Api:
    """Calls below /api/v1; a refusal fails the test unless its status is asked for."""

    client: TestClient

    def __call__(self, method: str, path: str, status: int = 200, **more: Any) -> Any:
        response = self.raw(method, path, **more)
        assert response.status_code == status, response.text
        return response.json() if response.content and "json" in response.headers.get("content-type", "") else response.content

    def raw(self, method: str, path: str, **more: Any) -> Response:
        return self.client.request(method, f"/api/v1{path}", **more)

    def done(self, job: dict[str, Any], status: int = 200) -> Any:
        """The file that a job brings in, or, where a refusal is asked for, the job that failed."""
        until = time.monotonic() + 60
        while job["state"] == "running" and time.monotonic() < until:
            time.sleep(0.005)
            job = self("GET", f"/jobs/{job['id']}")
        assert (job["state"] == "done") == (status == 200), job
        return self("GET", f"/files/{job['result']}") if status == 200 else job

    def bring(self, name: str, content: bytes, status: int = 200) -> Any:
        return self.done(self("POST", "/files", params={"name": name}, content=content), status)

    def change(self, study: dict[str, Any], status: int = 200, **parts: Any) -> Any:
        return self("PATCH", f"/studies/{study['id']}", status, json={"edition": study["edition"], "parts": parts})


@pytest.fixture
def api(engine: Engine) -> Iterator[Api]:
    with TestClient(make_app(engine), base_url="http://127.0.0.1:8410", raise_server_exceptions=False) as client:
        yield Api(client)


@pytest.fixture
def demo(api: Api) -> dict[str, Any]:
    """The demo study, as the list shows it and its page reads it."""
    return api("GET", f"/studies/{api('POST', '/studies/demo')['id']}")


@pytest.fixture
def small(api: Api) -> dict[str, Any]:
    """A study of a few cases."""
    content = b"id,q,age,sex\n1,yes,20,1\n2,no,35,2\n3,YES,61,1\n4,,44,2\n5,maybe,18,2\n"
    file = api.bring("answers.csv", content)
    return api("GET", f"/studies/{api('POST', '/studies', json={'title': 'Small', 'file': file['id']})['id']}")
