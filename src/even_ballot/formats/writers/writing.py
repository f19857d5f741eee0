"""A document in the format that is asked for."""

from even_ballot.core.release.plan import Format
from even_ballot.formats.printed.blocks import Document


def written(kind: Format, document: Document, template: bytes | None = None) -> bytes:
    """A document as .docx, .pdf, .html or .pptx. template: a .docx whose styles are used."""
    # What each needs is loaded for it alone.
    match kind:
        case "docx":
            from even_ballot.formats.writers.docx_file import docx_file

            return docx_file(document, template)
        case "pdf":
            from even_ballot.formats.writers.pdf_file import pdf_file

            return pdf_file(document)
        case "pptx":
            from even_ballot.formats.writers.slides import slides

            return slides(document)
    from even_ballot.formats.writers.html_page import html_page

    return html_page(document).encode()


def checked_template(content: bytes) -> tuple[bytes, tuple[str, ...]]:
    """A template with nothing but what it is for, and what was left out, in words. Raises StudyError where it
    is no .docx that can be read."""
    from even_ballot.formats.writers.docx_file import opened
    from even_ballot.formats.writers.house_template import house_template

    kept, left_out = house_template(content)
    opened(kept)
    return kept, left_out
