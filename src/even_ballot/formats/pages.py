"""Pages made of templates; every value is escaped."""

from functools import cache
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from jinja2 import Environment


@cache
def _templates() -> "Environment":
    from jinja2 import Environment, PackageLoader, StrictUndefined  # Loaded where a page is made.

    return Environment(
        loader=PackageLoader("even_ballot.formats"),
        autoescape=True,
        undefined=StrictUndefined,
        keep_trailing_newline=True,
    )


def page(template: str, **values: Any) -> str:
    """A page of a template in `templates/`."""
    return _templates().get_template(f"{template}.html.j2").render(values)


def plain_page(template: str, **values: Any) -> str:
    """The same of a template that is no HTML, such as a style sheet: its values are our own, and not
    escaped."""
    return _templates().overlay(autoescape=False).get_template(f"{template}.j2").render(values)
