"""The report page as a PDF: laid out and printed by a library that brings no browser."""

from __future__ import annotations

import base64
import logging
import mimetypes
from collections.abc import Sequence
from pathlib import Path

from ...limits import InputError
from .messages import say
from .page import page
from .reported import Reported

_FONTS = Path(__file__).parent / "fonts"
_FACES = (
    ("Atkinson Hyperlegible", 400, "atkinson-hyperlegible-latin-400-normal.woff2"),
    ("Atkinson Hyperlegible", 700, "atkinson-hyperlegible-latin-700-normal.woff2"),
    ("Fraunces", 600, "fraunces-latin-600-normal.woff2"),
    ("IBM Plex Mono", 400, "ibm-plex-mono-latin-400-normal.woff2"),
)
#: What differs on paper: black on white, and the page's number at its foot.
_ON_PAPER = """
@page { @bottom-right { content: counter(page) " / " counter(pages); font: 9pt "Atkinson Hyperlegible" } }
html body { background: white; max-width: none; padding: 0; font-size: 10.5pt }
html article, html img { background: white }
"""


def pdf(reported: Sequence[Reported]) -> bytes:
    """The page of some reports as PDF. Raises InputError where the library that lays it out is not installed."""
    # A process that is locked in cannot read the system's table of file types, and needs none.
    mimetypes.knownfiles.clear()
    try:
        import weasyprint
        from weasyprint.text.fonts import FontConfiguration
        from weasyprint.urls import URLFetcher
    except (ImportError, OSError) as error:
        raise InputError(say("reports.no-pdf")) from error
    logging.getLogger("weasyprint").setLevel(logging.ERROR)
    fonts, inside = FontConfiguration(), URLFetcher(allowed_protocols=["data"])
    faces = "".join(
        f'@font-face {{ font-family: "{family}"; font-weight: {weight}; src: url("{_as_address(_FONTS / name)}") }}\n'
        for family, weight, name in _FACES
    )
    style = weasyprint.CSS(string=faces + _ON_PAPER, font_config=fonts, url_fetcher=inside)
    # Nothing of this machine or another is fetched: the page holds its picture itself.
    document = weasyprint.HTML(string=page(reported).decode(), url_fetcher=inside)
    made: bytes = document.write_pdf(stylesheets=[style], font_config=fonts)
    return made


def _as_address(font: Path) -> str:
    """A font as an address that holds it whole."""
    return f"data:font/woff2;base64,{base64.b64encode(font.read_bytes()).decode()}"
