"""The gate's web application: a package is announced, sent in pieces that may go on after a break, and answered after a while.

How pieces are sent follows the drafts of resumable uploads for HTTP (draft-ietf-httpbis-resumable-upload): HEAD tells `Upload-Offset`, PATCH
appends at it. From memory.
"""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import msgspec
from flask import Flask, Response, abort, jsonify, request
from werkzeug.exceptions import HTTPException

from ..core import limits
from ..core.limits import InputError
from ..core.receivers.answer import VARIANTS
from ..core.rules.sheet import sheet_from_json, shipped
from ..web.origins import refusal
from .keeping import Full, Packages, Sent
from .sending import PIECE

_NAME = re.compile(r"[^/\\\x00]{1,200}")


def create_gate(folder: Path) -> Flask:
    """The gate, which keeps what it is sent in a folder until it ends."""
    app = Flask(__name__, static_folder=None)
    app.config["MAX_CONTENT_LENGTH"] = 4 * PIECE
    packages = Packages(folder)
    _manners(app)
    _receiving(app, packages)
    _answering(app, packages)
    return app


def _manners(app: Flask) -> None:
    """Who may ask, and how errors are told."""

    @app.before_request
    def _admit() -> None:
        headers = request.headers
        why = refusal(request.method, request.host, headers.get("Origin"), headers.get("Sec-Fetch-Site"))
        if why:
            abort(403, description=why)

    @app.errorhandler(HTTPException)
    def _plainly(error: HTTPException) -> tuple[Response, int]:
        return jsonify({"error": error.description}), error.code or 500

    @app.get("/")
    def health() -> Response:
        return jsonify({"status": "open"})


def _receiving(app: Flask, packages: Packages) -> None:
    """Announcing a package, and its bytes."""

    @app.post("/packages")
    def announce() -> tuple[Response, int]:
        wish = _wish(request.get_json(silent=True))
        try:
            sent = packages.begin(**wish)
        except Full:
            abort(503, description="The gate has no room for another package just now; try again later.")
        return jsonify(_as_json(sent)), 201

    @app.route("/packages/<number>/bytes", methods=["HEAD"])
    def offset(number: str) -> Response:
        return _at(_found(packages, number))

    @app.patch("/packages/<number>/bytes")
    def append(number: str) -> Response:
        sent = _found(packages, number)
        data = request.get_data()
        with sent.lock:
            if sent.state != "receiving" or request.headers.get("Upload-Offset") != str(sent.offset):
                return _at(sent, 409)
            if sent.offset + len(data) > sent.bytes:
                abort(413, description="More came than was announced.")
            if sent.breaks_off():
                packages.add(sent, data[: len(data) // 2])
                abort(503, description="The gate breaks off, as it was asked to.")
            packages.add(sent, data)
            return _at(sent)


def _answering(app: Flask, packages: Packages) -> None:
    """What became of a package."""

    @app.get("/packages/<number>")
    def state(number: str) -> Response:
        sent = _found(packages, number)
        if sent.state == "looking" and sent.breaks_off():
            abort(503, description="The gate breaks off, as it was asked to.")
        return jsonify(_as_json(sent))

    @app.delete("/packages/<number>")
    def forget(number: str) -> tuple[str, int]:
        packages.drop(_found(packages, number).number)
        return "", 204


def _found(packages: Packages, number: str) -> Sent:
    sent = packages.get(number)
    if sent is None:
        abort(404, description="The gate knows no such package; send it anew.")
    return sent


def _at(sent: Sent, status: int = 204) -> Response:
    answer = Response(status=status)
    answer.headers["Upload-Offset"] = str(sent.offset)
    return answer


def _as_json(sent: Sent) -> dict[str, Any]:
    return {"id": sent.number, "state": sent.state, "offset": sent.offset, "bytes": sent.bytes, "answer": sent.answer}


def _wish(body: Any) -> dict[str, Any]:
    """What a package is announced with, checked."""
    if not isinstance(body, dict):
        abort(400, description="A package is announced with a JSON object.")
    sheet, name = body.get("sheet"), body.get("name")
    try:
        named = next((x for x in shipped() if x.slug == sheet), None)
        read = named or sheet_from_json(msgspec.json.encode(sheet), "The sheet")
    except InputError as error:
        abort(422, description=str(error))
    size, digest, fails = body.get("bytes"), body.get("sha256"), body.get("fails", 0)
    if not isinstance(name, str) or not _NAME.fullmatch(name) or name in (".", ".."):
        abort(422, description="name: the file name of the package is wanted.")
    if not isinstance(size, int) or isinstance(size, bool) or not 0 < size <= limits.MAX_PACKAGE_BYTES:
        abort(422, description=f"bytes: a number from 1 to {limits.MAX_PACKAGE_BYTES:,} is wanted.")
    if not isinstance(digest, str) or not re.fullmatch("[0-9a-f]{64}", digest):
        abort(422, description="sha256: 64 hexadecimal digits are wanted.")
    if body.get("variant", "current") not in VARIANTS:
        abort(422, description=f"variant: one of {', '.join(VARIANTS)} is wanted.")
    if not isinstance(fails, int | float) or not 0 <= fails <= 0.9:
        abort(422, description="fails: a share from 0 to 0.9 is wanted.")
    return {
        "sheet": msgspec.to_builtins(read),
        "variant": body.get("variant", "current"),
        "name": name,
        "size": size,
        "sha256": digest,
        "fails": float(fails),
    }
