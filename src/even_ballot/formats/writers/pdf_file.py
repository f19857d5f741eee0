"""A release as PDF: tagged, with bookmarks, contents with page numbers, letters inside it."""

import io
import logging

from even_ballot.core.faults import fault
from even_ballot.formats.documents.parts import Document
from even_ballot.formats.fonts import font_bytes
from even_ballot.formats.writers.html_page import html_page


def pdf_file(document: Document) -> bytes:
    """A document as PDF/UA-1. The same document gives the same bytes.

    Raises StudyError where the libraries that lay out pages are not installed.
    """
    try:
        import weasyprint  # Loaded where it is needed: it takes a while, and finds Pango.
    except OSError:
        raise fault(
            "PDF cannot be made here: the text layout libraries (Pango) are missing.",
            "formats",
            "Run ./start once, which installs them, or leave out pdf.",
        ) from None
    logging.getLogger("weasyprint").setLevel(logging.ERROR)
    text = html_page(document, paged=True)
    year, month, day = document.made
    dated = f'<meta name="dcterms.created" content="{year}-{month:02}-{day:02}">'
    text = text.replace("</title>", f"</title>\n{dated}", 1)
    from weasyprint.text.fonts import FontConfiguration
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    class OwnFonts(URLFetcher):  # type: ignore[misc]
        """Only our own letters are read, and nothing from elsewhere."""

        def fetch(self, url: str, headers: object = None) -> URLFetcherResponse:
            return URLFetcherResponse(url, font_bytes(url), {"Content-Type": "font/ttf"})

    html = weasyprint.HTML(string=text, url_fetcher=OwnFonts())
    out = io.BytesIO()
    identifier = f"even-ballot-{year}-{month:02}-{day:02}".encode()
    html.write_pdf(out, font_config=FontConfiguration(), pdf_variant="pdf/ua-1", pdf_identifier=identifier)
    return out.getvalue()
