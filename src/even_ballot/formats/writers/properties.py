"""What an office file says of itself: title, authors, language, dates from the release and not the clock."""

import datetime
from typing import Any

from even_ballot.formats.images.drawing import no_controls
from even_ballot.formats.printed.blocks import Document


def say_about(own: Any, document: Document) -> None:
    """Fills the core properties of a container."""
    own.title = no_controls(document.title)[:250]
    own.author = no_controls(", ".join(document.authors))[:250]
    own.created = own.modified = own.last_printed = datetime.datetime(*document.made)
    own.revision, own.last_modified_by, own.comments = 1, "", "Made by Even Ballot"
    own.language = document.style.language
