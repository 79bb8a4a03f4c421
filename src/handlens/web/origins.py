"""Who may ask: this machine's own addresses, and for changes our own pages alone."""

from __future__ import annotations

from urllib.parse import urlsplit

_LOOPBACK = {"127.0.0.1", "localhost", "::1"}


def refusal(method: str, host: str, origin: str | None, site: str | None) -> str | None:
    """Why a request is refused, None where it is not. host, origin, site: the headers Host, Origin and Sec-Fetch-Site.

    Refuses other hosts' names (rebinding) and changes that another site's page asks for.
    """
    if _parts(f"//{host}")[0] not in _LOOPBACK:
        return "Hand Lens answers on this machine's own address only."
    if method in ("GET", "HEAD", "OPTIONS"):
        return None
    if (site or "same-origin") not in ("same-origin", "none") or (origin is not None and _parts(origin)[1] != host):
        return "Only Hand Lens's own pages may change anything."
    return None


def _parts(address: str) -> tuple[str | None, str | None]:
    """Name and place of an address; neither where it is none."""
    try:
        parts = urlsplit(address)
        return parts.hostname, parts.netloc
    except ValueError:
        return None, None
