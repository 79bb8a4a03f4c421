"""`./start`: cluster, migrations, demo models, web server and worker, until Ctrl-C."""

from __future__ import annotations

import argparse
import os
import signal
import subprocess
import sys
import time
import urllib.request
from pathlib import Path
from typing import TextIO

from .claim import Claimed, claim, tell
from .cluster import Cluster, ClusterError, free_port

ROOT = Path(__file__).parents[3]


def main() -> int:
    parser = argparse.ArgumentParser(prog="./start")
    parser.add_argument("--port", type=int, default=8440)
    parser.add_argument("--data", type=Path, default=ROOT / ".data")
    parser.add_argument("--no-demo", action="store_true")
    args = parser.parse_args()
    folder = args.data.resolve()
    try:
        folder.mkdir(parents=True, exist_ok=True)
        held = claim(folder)
        cluster = Cluster(folder, args.port + 1)
        cluster.start()
    except (ClusterError, Claimed, OSError, KeyError) as error:
        print(f"./start: {error}", file=sys.stderr)
        return 1
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    children: list[subprocess.Popen[bytes]] = []
    try:
        return _serve(cluster, folder, args, children, held)
    except KeyboardInterrupt:
        return 0
    finally:
        for child in children:
            child.terminate()
        for child in children:
            try:
                child.wait(8)
            except subprocess.TimeoutExpired:
                child.kill()
        cluster.stop()
        held.close()


def _serve(
    cluster: Cluster, folder: Path, args: argparse.Namespace, children: list[subprocess.Popen[bytes]], held: TextIO
) -> int:
    os.environ["HANDLENS_DATABASE"] = cluster.url
    from ..store.migrate import upgrade

    upgrade()
    from ..store.database import session
    from ..store.queue import want_missing

    with session() as s:
        want_missing(s)
    port = free_port(args.port)
    log = (folder / "log.txt").open("ab")
    env = {**os.environ, "PYTHONUNBUFFERED": "1"}
    python = sys.executable
    # Children get a session of their own, so that Ctrl-C reaches only this process, which then stops them in order.
    options = {"stdout": log, "stderr": log, "env": env, "cwd": ROOT, "start_new_session": True}
    children.append(subprocess.Popen([python, "-m", "handlens.jobs.worker"], **options))  # type: ignore[call-overload]
    gunicorn = [
        python,
        "-m",
        "gunicorn",
        "handlens.web.app:create_app()",
        "-b",
        f"127.0.0.1:{port}",
        "-k",
        "gthread",
        "--threads",
        "32",
        "--timeout",
        "0",
        "--graceful-timeout",
        "2",
        "--no-control-socket",
    ]
    children.append(subprocess.Popen(gunicorn, **options))  # type: ignore[call-overload]
    address = f"http://127.0.0.1:{port}/"
    _wait(address + "api/health", children)
    if not args.no_demo:
        from ..jobs.demo import load_once

        load_once(ROOT / "demo" / "models")
    tell(held, address)
    print(f"Hand Lens is at {address}  (Ctrl-C stops it)", flush=True)
    while True:
        for child in children:
            if child.poll() is not None:
                print(f"A part of Hand Lens stopped by itself; {folder / 'log.txt'} says why.", file=sys.stderr)
                return 1
        if not cluster.alive:
            print(f"The database stopped by itself; {cluster.base / 'log'} says why.", file=sys.stderr)
            return 1
        time.sleep(0.5)


def _wait(address: str, children: list[subprocess.Popen[bytes]]) -> None:
    for _ in range(300):
        if any(c.poll() is not None for c in children):
            return
        try:
            with urllib.request.urlopen(address, timeout=2) as answer:
                if answer.status == 200:
                    return
        except OSError:
            time.sleep(0.1)


if __name__ == "__main__":
    sys.exit(main())
