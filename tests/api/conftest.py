"""Studies to call the API about."""

from typing import Any

import pytest
from calls import Api


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
