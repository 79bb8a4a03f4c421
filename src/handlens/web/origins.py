"""Who may ask: this machine's own addresses, and for changes our own pages alone."""

from __future__ import annotations

from urllib.parse import urlsplit

_LOOPBACK = {"127.0.0.1", "localhost", "::1"}


def refusal(method: str, host: str, origin: str | None, site: str | None) -> str | None:
    """Why a request is refused, None where it is not. host, origin, site: the headers Host, Origin and Sec-Fetch-Site.

    Refuses other hosts' names (rebinding) and changes that another site's page asks for.
    """
    if _name(host) not in _LOOPBACK:
        return "Hand Lens answers on this machine's own address only."
    if method in ("GET", "HEAD", "OPTIONS"):
        return None
    if (site or "same-origin") not in ("same-origin", "none") or (origin is not None and origin != f"http://{host}"):
        return "Only Hand Lens's own pages may change anything."
    return None


def _name(host: str) -> str | None:
    """The name in a Host header; None where it is none."""
    try:
        return urlsplit(f"//{host}").hostname
    except ValueError:
        return None
