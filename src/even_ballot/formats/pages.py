"""Pages made of templates; every value is escaped."""

from typing import Any

from jinja2 import Environment, PackageLoader, StrictUndefined

_TEMPLATES = Environment(
    loader=PackageLoader("even_ballot.formats"),
    autoescape=True,
    undefined=StrictUndefined,
    keep_trailing_newline=True,
)


def page(template: str, **values: Any) -> str:
    """A page of a template in `templates/`."""
    return _TEMPLATES.get_template(f"{template}.html.j2").render(values)
