"""The application factory."""

from __future__ import annotations

import logging
from typing import Any

from flask import Flask, Response, abort, request
from flask_smorest import Api
from sqlalchemy.exc import IntegrityError, OperationalError
from werkzeug.exceptions import HTTPException, RequestEntityTooLarge

from .. import __version__
from ..core.limits import InputError, MendError
from . import (
    batches,
    bench,
    catalogue,
    drops,
    exports,
    handoff,
    inspections,
    jobs,
    lost_images,
    models,
    recipes,
    sheets,
    watches,
    ways,
)
from .bodies import most_bytes, too_large
from .origins import refusal
from .pages import add_pages
from .parts import states
from .plain import NotPlain, check

log = logging.getLogger("handlens.web")


class ProblemApi(Api):  # type: ignore[misc]  # the library has no types
    """Errors as RFC 9457 problem details."""

    def handle_http_exception(self, error: HTTPException) -> Any:
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
    for module in (
        models,
        drops,
        bench,
        inspections,
        exports,
        jobs,
        recipes,
        catalogue,
        lost_images,
        watches,
        sheets,
        handoff,
        ways,
        batches,
    ):
        api.register_blueprint(module.blueprint)
    app.register_error_handler(InputError, lambda e: problem(422, "Cannot be used", str(e)))
    app.register_error_handler(MendError, lambda e: problem(409, "Does not apply", str(e)))
    app.register_error_handler(RequestEntityTooLarge, _body_too_large)
    app.register_error_handler(IntegrityError, _at_once)
    app.register_error_handler(OperationalError, _no_database)
    app.before_request(_admit)
    app.after_request(_headers)
    _health(app)
    add_pages(app, problem)
    return app


def _admit() -> None:
    """Refuse whom the front would refuse, and bodies above their limit, however the request came in."""
    headers = request.headers
    why = refusal(request.method, request.host, headers.get("Origin"), headers.get("Sec-Fetch-Site"))
    if why:
        abort(403, description=why)
    request.max_content_length = most_bytes(request.method, request.path)
    try:
        check(request)
    except NotPlain as error:
        abort(400, description=str(error))


def _headers(response: Response) -> Response:
    response.headers.setdefault("X-Content-Type-Options", "nosniff")
    response.headers.setdefault("Referrer-Policy", "no-referrer")
    response.headers.setdefault("X-Frame-Options", "DENY")
    response.headers.setdefault("Cross-Origin-Opener-Policy", "same-origin")
    response.headers.setdefault("Cache-Control", "no-store")
    response.headers.setdefault("Content-Security-Policy", "default-src 'none'; frame-ancestors 'none'")
    return response


def _body_too_large(_: RequestEntityTooLarge) -> Response:
    return problem(413, "Too large", too_large(most_bytes(request.method, request.path)))


def _at_once(_: IntegrityError) -> Response:
    text = "Someone changed or took away the same thing at the same moment, so nothing was changed; look again, then repeat it."
    return problem(409, "Changed meanwhile", text)


def _no_database(error: OperationalError) -> Response:
    log.warning("the database does not answer: %s", error)
    return problem(
        503, "No database", "The database does not answer just now; it is started again by itself. Try again in a moment."
    )


def _health(app: Flask) -> None:
    @app.get("/api/health")
    def health() -> dict[str, Any]:
        return {"state": "up", "version": __version__, "parts": states()}
