"""The server as others meet it: idle pages, slow senders, bodies beyond their limit, texts and numbers that are none."""

from __future__ import annotations

import contextlib
import json
import re
import resource
import socket
import threading
import time
import urllib.error
import urllib.request
from urllib.parse import urlsplit

import pytest

from conftest import wait_for
from handlens.web import front
from handlens.web.bodies import JSON_BYTES
from handlens.web.events import PATH as EVENTS


def _connect(server: str) -> socket.socket:
    at = urlsplit(server)
    return socket.create_connection((at.hostname, at.port), timeout=30)


def _head(server: str, line: str, *more: str) -> bytes:
    return "\r\n".join([f"{line} HTTP/1.1", f"Host: {urlsplit(server).netloc}", *more, "", ""]).encode()


def _answer(s: socket.socket) -> tuple[int, dict]:
    """Status and JSON of an answer on a connection that ends with it."""
    data = b""
    with contextlib.suppress(ConnectionResetError):
        while piece := s.recv(1 << 16):
            data += piece
            head, _, body = data.partition(b"\r\n\r\n")
            length = [int(x.split(b":")[1]) for x in head.lower().split(b"\r\n") if x.startswith(b"content-length:")]
            if length and len(body) >= length[0]:
                break
    head, _, body = data.partition(b"\r\n\r\n")
    return int(head.split()[1]), json.loads(body)


def _health_ms(server: str) -> float:
    began = time.perf_counter()
    urllib.request.urlopen(server + "/api/health", timeout=10).read()
    return (time.perf_counter() - began) * 1000


def test_idle_pages_and_slow_senders_take_nothing_from_the_rest(server):
    held = []
    _, most = resource.getrlimit(resource.RLIMIT_NOFILE)
    resource.setrlimit(resource.RLIMIT_NOFILE, (min(4096, most), most))
    try:
        for _ in range(500):
            held.append(_connect(server))
            held[-1].sendall(_head(server, f"GET {EVENTS}"))
        for _ in range(200):
            held.append(_connect(server))
            held[-1].sendall(_head(server, "POST /api/drops", "Content-Type: application/json", "Content-Length: 1000") + b"{")
        # Each page has what there is to know.
        for s in (held[0], held[499]):
            seen = b""
            while b"data: " not in seen:
                seen += s.recv(1 << 16)
            assert b"text/event-stream" in seen
            assert '"troubles": []' in seen.decode()
        took = sorted(_health_ms(server) for _ in range(20))
        # The middle one: other tests run beside this one, and a single answer may wait for them.
        assert took[len(took) // 2] < 100, took
        assert urllib.request.urlopen(server + "/api/shelf", timeout=10).status == 200
    finally:
        for s in held:
            s.close()


@pytest.mark.parametrize(
    ("line", "most"),
    [("POST /api/drops", JSON_BYTES), ("PUT /api/revisions/1/tape", JSON_BYTES), ("PUT /api/nothing/here", JSON_BYTES)],
)
def test_a_body_beyond_its_limit_is_refused_before_it_is_read(server, line, most):
    with _connect(server) as s:
        s.sendall(_head(server, line, f"Content-Length: {600 << 20}"))
        status, told = _answer(s)
        assert (status, told["detail"][:29]) == (413, "What was sent is larger than ")
    with _connect(server) as s:
        s.sendall(_head(server, line, "Transfer-Encoding: chunked"))
        sent = 0
        with contextlib.suppress(OSError):
            while sent < most * 40:
                s.sendall(b"10000\r\n" + b"x" * 65536 + b"\r\n")
                sent += 65536
        assert sent < most * 40
        with contextlib.suppress(IndexError):  # the answer may be lost where the sender never listened
            assert _answer(s)[0] == 413


async def _slow(*pieces: bytes, wait: float = 0.0):
    import asyncio

    for k, piece in enumerate(pieces):
        await asyncio.sleep(wait)
        yield {"type": "http.request", "body": piece, "more_body": k < len(pieces) - 1}
    await asyncio.sleep(3600)


def _through_the_front(pieces, wait=0.0, method="POST", path="/api/drops", headers=()):
    """What the front answers, and what reached the application behind it."""
    import asyncio

    behind, sent = [], []

    async def app(scope, receive, send):
        message = await receive()
        behind.append((dict(scope["headers"]), message["body"]))
        await send({"type": "http.response.start", "status": 204, "headers": []})

    async def run():
        source = _slow(*pieces, wait=wait)
        scope = {
            "type": "http",
            "method": method,
            "path": path,
            "query_string": b"",
            "headers": [(b"host", b"localhost"), *headers],
        }

        async def send(message):
            sent.append(message)

        await front.Front(app, None)(scope, source.__anext__, send)

    asyncio.run(run())
    return sent, behind


def test_a_request_comes_whole_with_its_length_however_it_was_sent():
    sent, behind = _through_the_front([b"ab", b"", b"c"], headers=[(b"transfer-encoding", b"chunked")])
    assert sent[0]["status"] == 204
    assert behind == [({b"host": b"localhost", b"content-length": b"3"}, b"abc")]


def test_a_sender_that_falls_silent_or_trickles_is_let_go(monkeypatch):
    monkeypatch.setattr(front, "IDLE_SECONDS", 0.2)
    sent, behind = _through_the_front([b"a", b"b"], wait=0.5)
    assert (sent[0]["status"], behind) == (408, [])
    monkeypatch.setattr(front, "GRACE_SECONDS", 0.2)
    sent, behind = _through_the_front([b"a"] * 100, wait=0.02)
    assert (sent[0]["status"], behind) == (408, [])
    assert "a second" in json.loads(sent[1]["body"])["detail"]


def test_a_full_disk_is_said_before_the_file_is_taken(monkeypatch):
    monkeypatch.setattr("handlens.store.room.RESERVE_BYTES", 1 << 60)
    sent, behind = _through_the_front([b"x" * (1 << 19)], method="PUT", path="/api/drops/1/files")
    assert (sent[0]["status"], behind) == (507, [])
    assert "stay free for the database" in json.loads(sent[1]["body"])["detail"]


def test_one_who_takes_nothing_is_let_go(server, monkeypatch):
    """More answers that nobody takes than there are threads: the service goes on. (The wait itself is shortened in the unit.)"""
    import asyncio

    monkeypatch.setattr(front, "IDLE_SECONDS", 0.1)

    async def stuck(message):
        await asyncio.sleep(3600)

    async def run():
        sender = front._Sender(stuck)
        began = time.perf_counter()
        for _ in range(50):
            await sender.send({"type": "http.response.body"})
        return time.perf_counter() - began

    assert asyncio.run(run()) < 2


def test_headers_that_never_end_are_not_waited_for(server):
    with _connect(server) as s:
        s.sendall(b"GET /api/health HTTP/1.1\r\nHost: loc")
        began = time.monotonic()
        s.settimeout(40)
        assert s.recv(10) == b""
        assert time.monotonic() - began < 10


BAD = [
    (b'{"model": ' + b"[" * 5000 + b"]" * 5000 + b"}", "nested"),
    (b'{"model": "a\\u0000b"}', "NUL"),
    (b'{"model": "\\ud800"}', "surrogates"),
    (b'{"model": 1e999}', "larger than a number may be"),
    (b'{"model": ' + b"9" * 5000 + b"}", "too many digits"),
    (b'{"model": 99999999999999999999}', "larger than"),
    (b'{"model": NaN}', "no number"),
    (b"{", "no JSON"),
    (b"\xff\xfe", "no JSON"),
]


@pytest.mark.parametrize(("body", "words"), BAD, ids=[w for _, w in BAD])
def test_what_is_no_text_or_number_is_a_sentence(client, body, words):
    for path, method in (("/api/drops", client.post), ("/api/recipes", client.post), ("/api/models/1", client.patch)):
        answer = method(path, data=body, content_type="application/json")
        assert answer.status_code == 400, path
        assert words in answer.json["detail"]


def test_a_request_that_ends_at_two_places_is_refused(server):
    """RFC 9112, section 6.3: a length and chunks together are how requests are smuggled."""
    with _connect(server) as s:
        s.sendall(_head(server, "POST /api/drops", "Content-Length: 2", "Transfer-Encoding: chunked") + b"2\r\n{}\r\n0\r\n\r\n")
        assert _answer(s)[0] == 400


@pytest.mark.parametrize("origin", ["http://[", "null", "http://127.0.0.1:1@evil", "\u00e4", "https://localhost"])
def test_an_origin_that_is_no_address_of_ours_changes_nothing(client, origin):
    answer = client.post("/api/drops", json={}, headers={"Origin": origin.encode().decode("latin1")})
    assert answer.status_code == 403
    assert client.get("/api/health", headers={"Host": "127.0.0.1]["}).status_code in (400, 403)


def test_names_that_cannot_lie_together_are_refused_when_they_come(client):
    drop = client.post("/api/drops", json={}).json["id"]
    put = lambda path: client.put(f"/api/drops/{drop}/files", query_string={"path": path}, data=b"x")
    assert put("tex").status_code == 201
    assert put("tex/a.png").json["detail"].startswith("tex/a.png cannot lie beside tex")
    assert put("t" * 256 + ".png").status_code == 422
    assert put("a\0b.png").status_code == 400
    assert put("../a.png").status_code == 422


def test_a_pattern_of_any_cunning_is_answered_at_once(server, client):
    from conftest import drop, settled
    from handlens.core import formats
    from kit.scenes import cube, scene

    drop(client, {"front_names.glb": formats.write(scene(cube("a" * 200 + "!")), "glb", "x")["x.glb"]})
    entry = settled(client, "Front names")
    for pattern in ("^(a|a)+$", "(a+)+$", "^(([a-z])+.)+[A-Z]([a-z])+$"):
        began = time.monotonic()
        answer = client.post(
            f"/api/revisions/{entry['revision']}/rename-preview", json={"search": pattern, "replace": "x", "pattern": True}
        )
        assert answer.status_code == 200
        assert time.monotonic() - began < 5
    for pattern in ("(?=a)", "(", "((a{1,99}){1,99}){1,99}"):
        answer = client.post(f"/api/revisions/{entry['revision']}/rename-preview", json={"search": pattern, "pattern": True})
        assert (answer.status_code, "not a valid pattern" in answer.json["detail"]) == (422, True)


def test_equal_wishes_at_once_are_one_wish_and_another_one_is_told(server, client):
    from conftest import drop, settled
    from handlens.core import formats
    from kit.scenes import cube, scene

    drop(client, {"front_twice.glb": formats.write(scene(cube()), "glb", "x")["x.glb"]})
    revision = settled(client, "Front twice")["revision"]
    slips = [{"mend": "arrival.rename", "params": {"search": "c", "replace": "k", "pattern": False}, "on": True}]
    answers: list[int] = []

    def put(body: dict) -> None:
        data = json.dumps(body).encode()
        asked = urllib.request.Request(
            f"{server}/api/revisions/{revision}/tape", data, {"Content-Type": "application/json"}, method="PUT"
        )
        try:
            answers.append(urllib.request.urlopen(asked, timeout=60).status)
        except urllib.error.HTTPError as error:
            answers.append(error.code)

    before = client.get(f"/api/revisions/{revision}/bench").json["version"]
    crowd = [threading.Thread(target=put, args=({"slips": slips, "version": before},)) for _ in range(16)]
    for t in crowd:
        t.start()
    for t in crowd:
        t.join()
    assert answers == [200] * 16
    now = client.get(f"/api/revisions/{revision}/bench").json
    assert len(now["tape"]) == 1
    assert client.post(f"/api/revisions/{revision}/tape/undo", json={"version": now["version"]}).json["tape"] == []
    # Someone who still looks at the tape as it was lays nothing over what another did since.
    late = client.put(f"/api/revisions/{revision}/tape", json={"slips": [*slips, *slips], "version": now["version"]})
    assert (late.status_code, "changed meanwhile" in late.json["detail"]) == (409, True)
    assert client.post(f"/api/revisions/{revision}/tape/redo", json={"version": now["version"]}).status_code == 409
    wait_for(lambda: client.get(f"/api/revisions/{revision}/bench").json["state"] == "done")


def test_scripts_are_sent_packed_to_whoever_takes_that(client):
    import gzip

    page = client.get("/").text
    name = re.search(r'/assets/[^"]+\.js', page)[0]
    plain, packed = client.get(name), client.get(name, headers={"Accept-Encoding": "gzip, br"})
    assert "Content-Encoding" not in plain.headers
    assert packed.headers["Content-Encoding"] == "gzip"
    assert packed.mimetype == plain.mimetype
    assert gzip.decompress(packed.data) == plain.data
    assert len(packed.data) < 0.5 * len(plain.data)
