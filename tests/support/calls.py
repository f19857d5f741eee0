"""The API called as a browser would."""

import time
from dataclasses import dataclass
from typing import Any

from fastapi.testclient import TestClient
from httpx import Response


@dataclass
class Api:
    """Calls below /api/v1; a refusal fails the test unless its status is asked for."""

    client: TestClient

    def __call__(self, method: str, path: str, status: int = 200, **more: Any) -> Any:
        response = self.raw(method, path, **more)
        assert response.status_code == status, response.text
        return (
            response.json()
            if response.content and "json" in response.headers.get("content-type", "")
            else response.content
        )

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
        return self(
            "PATCH", f"/studies/{study['id']}", status, json={"edition": study["edition"], "parts": parts}
        )
