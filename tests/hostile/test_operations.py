"""Every operation of the API with what its schema allows and much that it does not: never a server's
error, always what the document says, always the security headers. `--examples 300` asks each operation as
often."""

import contextlib
from collections.abc import Iterator
from typing import Any

import pytest
import requests
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis.errors import Unsatisfiable
from schemathesis.checks import CHECKS, load_all_checks
from served import served
from sqlalchemy import Engine

from even_ballot.api.app import make_app

load_all_checks()
SAFE = (
    "content-security-policy",
    "x-content-type-options",
    "referrer-policy",
    "cross-origin-resource-policy",
)
DOCUMENT: Any = schemathesis.openapi.from_dict(make_app(None).openapi())
OPERATIONS = {
    f"{o.method.upper()} {o.path}": o for o in (result.ok() for result in DOCUMENT.get_all_operations())
}
# What a schema allows is refused for its sense alone (422), never as something that cannot be read.
DOCUMENT.config.checks.positive_data_acceptance.expected_statuses.append("422")


@pytest.fixture(scope="module")
def address(module_engine: Engine) -> Iterator[str]:
    with served(make_app(module_engine)) as url:
        yield url


@pytest.fixture(scope="module")
def demo(address: str) -> str:
    """A study that operations can be about."""
    return str(requests.post(f"{address}/api/v1/studies/demo", timeout=60).json()["id"])


@pytest.mark.parametrize("name", OPERATIONS)
def test_no_operation_fails(name: str, address: str, demo: str, request: pytest.FixtureRequest) -> None:
    operation: Any = OPERATIONS[name]
    checks = [CHECKS.get_one(check) for check in CHECKS.get_all_names()]
    often = request.config.getoption("--examples")

    def ask(strategy: Any) -> None:
        @settings(
            max_examples=often, deadline=None, derandomize=True, database=None, suppress_health_check=list(HealthCheck),
            phases=[Phase.explicit, Phase.generate],
        )  # fmt: skip
        @given(one=strategy, known=...)
        def asked(one: Any, known: bool) -> None:
            parameters = one.path_parameters or {}
            if known and "study_id" in parameters and (one.method, len(parameters)) != ("DELETE", 1):
                parameters["study_id"] = demo
            response = one.call(base_url=address, timeout=60)
            assert response.status_code < 500, (one.as_curl_command(), response.text[:500])
            one.validate_response(response, checks=checks)
            for header in SAFE:
                assert header in response.headers, (one, header)

        asked()

    ask(operation.as_strategy())
    # Where everything is allowed, there is nothing that is not.
    with contextlib.suppress(Unsatisfiable):
        ask(operation.as_strategy(generation_mode=schemathesis.GenerationMode.NEGATIVE))
    standing = requests.get(f"{address}/api/v1/health", timeout=10).json()
    assert standing["database"] == "up"
