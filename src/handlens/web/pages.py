"""The front end's own files, and its one page with what the browser should fetch at once."""

from __future__ import annotations

import re
import secrets
from collections.abc import Callable
from mimetypes import guess_type
from pathlib import Path

from flask import Flask, Response, request, send_from_directory
from werkzeug.security import safe_join

from ..store import shelf
from ..store.database import session
from ..store.models import Revision

DIST = Path(__file__).parents[3] / "frontend" / "dist"


def add_pages(app: Flask, problem: Callable[[int, str, str], Response]) -> None:
    """Serve the built front end: its assets, its icon, and its page at every address that is not the API's."""

    @app.get("/assets/<path:name>")
    def assets(name: str) -> Response:
        packed = safe_join(str(DIST / "assets"), f"{name}.gz") if request.accept_encodings.quality("gzip") else None
        if packed is not None and Path(packed).is_file():
            answer = send_from_directory(DIST / "assets", f"{name}.gz", mimetype=guess_type(name)[0])
            answer.headers["Content-Encoding"] = "gzip"
        else:
            answer = send_from_directory(DIST / "assets", name)
        answer.headers["Vary"] = "Accept-Encoding"
        answer.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        answer.headers["Content-Security-Policy"] = "default-src 'none'; connect-src 'self'; script-src 'self'"
        return answer

    @app.get("/favicon.svg")
    def favicon() -> Response:
        return send_from_directory(DIST, "favicon.svg")

    @app.get("/", defaults={"path": ""})
    @app.get("/<path:path>")
    def page(path: str) -> Response:
        """Every other address is the app's own: its router reads it."""
        if path.startswith("api/"):
            return problem(404, "Not found", "There is nothing at this address.")
        if not (DIST / "index.html").exists():
            return problem(503, "Not built", "The front end is not built; ./start builds it.")
        # PrimeVue puts its styles into the page; the nonce lets those in and no others.
        nonce = secrets.token_urlsafe(16)
        text = (DIST / "index.html").read_text().replace("__NONCE__", nonce).replace("<!--EARLY-->", _early(path))
        answer = Response(text, mimetype="text/html")
        answer.headers["Content-Security-Policy"] = (
            f"default-src 'none'; script-src 'self'; style-src 'self' 'nonce-{nonce}'; img-src 'self' blob: data:; font-src 'self'; "
            "connect-src 'self'; worker-src 'self' blob:; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
        )
        return answer


def _early(path: str) -> str:
    """Links that let the browser ask for a Bench's data while it still reads the scripts that will want them."""
    wanted = re.fullmatch(r"bench/(\d{1,9})", path)
    if not wanted:
        return ""
    addresses = [f"/api/revisions/{wanted[1]}/bench", "/api/catalogue"]
    with session() as db:
        revision = db.get(Revision, int(wanted[1]))
        if revision is None:
            return ""
        inspection = shelf.inspection_of(db, revision, shelf.slips_of(db, revision))
        shown = inspection if inspection is not None and inspection.state == "done" else shelf.latest_done(db, revision)
        if shown is not None:
            addresses.append(f"/api/inspections/{shown.id}/stage")
    return "".join(f'<link rel="preload" as="fetch" crossorigin href="{a}">' for a in addresses)
