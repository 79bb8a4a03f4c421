"""The application factory."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlsplit

from flask import Flask, Response, abort, request
from flask_smorest import Api
from werkzeug.exceptions import HTTPException

from .. import __version__
from ..core.limits import InputError, MendError
from . import bench, catalogue, drops, exports, inspections, jobs, lost_images, models, recipes
from .pages import add_pages

_LOOPBACK = {"127.0.0.1", "localhost", "[::1]", "::1"}


class ProblemApi(Api):
    """Errors as RFC 9457 problem details."""

    def handle_http_exception(self, error: HTTPException) -> Any:  # type: ignore[override]
        data = getattr(error, "data", None) or {}
        detail = data.get("message") or error.description or error.name
        if data.get("messages"):
            detail = f"The request is not as expected: {_first_message(data['messages'])}"
        return problem(error.code or 500, error.name, str(detail))


def _first_message(tree: Any) -> str:
    while isinstance(tree, dict) and tree:
        key, tree = next(iter(tree.items()))
        if isinstance(tree, list):
            return f"{key}: {tree[0]}"
    return str(tree[0] if isinstance(tree, list) and tree else tree)


def problem(status: int, title: str, detail: str) -> Response:
    """A problem+json answer."""
    import json

    body = json.dumps({"type": "about:blank", "title": title, "status": status, "detail": detail})
    return Response(body, status, mimetype="application/problem+json")


def create_app() -> Flask:
    """The web application. Its database is the one in HANDLENS_DATABASE."""
    app = Flask(__name__, static_folder=None)
    app.config.update(
        API_TITLE="Hand Lens",
        API_VERSION=__version__,
        OPENAPI_VERSION="3.1.0",
        OPENAPI_URL_PREFIX="/api",
        OPENAPI_JSON_PATH="openapi.json",
        MAX_FORM_MEMORY_SIZE=1 << 20,
    )
    api = ProblemApi(app)
    for module in (models, drops, bench, inspections, exports, jobs, recipes, catalogue, lost_images):
        api.register_blueprint(module.blueprint)
    app.register_error_handler(InputError, lambda e: problem(422, "Cannot be used", str(e)))
    app.register_error_handler(MendError, lambda e: problem(409, "Does not apply", str(e)))
    app.before_request(_same_origin)
    app.after_request(_headers)
    _health(app)
    add_pages(app, problem)
    return app


def _same_origin() -> None:
    """Refuse other hosts' names (rebinding) and writes that another site's page asks for."""
    host = urlsplit(f"//{request.host}").hostname or ""
    if host not in _LOOPBACK:
        abort(403, description="Hand Lens answers on this machine's own address only.")
    if request.method in ("GET", "HEAD", "OPTIONS"):
        return
    origin = request.headers.get("Origin")
    if request.headers.get("Sec-Fetch-Site", "same-origin") not in ("same-origin", "none") or (
        origin is not None and urlsplit(origin).netloc != request.host
    ):
        abort(403, description="Only Hand Lens's own pages may change anything.")


def _headers(response: Response) -> Response:
    response.headers.setdefault("X-Content-Type-Options", "nosniff")
    response.headers.setdefault("Referrer-Policy", "no-referrer")
    response.headers.setdefault("X-Frame-Options", "DENY")
    response.headers.setdefault("Cross-Origin-Opener-Policy", "same-origin")
    response.headers.setdefault("Cache-Control", "no-store")
    response.headers.setdefault("Content-Security-Policy", "default-src 'none'; frame-ancestors 'none'")
    return response


def _health(app: Flask) -> None:
    @app.get("/api/health")
    def health() -> dict[str, str]:
        return {"state": "up", "version": __version__}
