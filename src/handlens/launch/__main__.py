"""`./start`: cluster, migrations, demo models, web server and worker, until Ctrl-C or another word to stop."""

from __future__ import annotations

import argparse
import os
import signal
import sys
import time
import urllib.request
from collections.abc import Callable
from pathlib import Path
from typing import TextIO

from sqlalchemy.exc import OperationalError

from ..core import limits
from ..core.limits import InputError
from ..core.words.lengths import WISH, WISHES
from .claim import Claimed, claim, tell
from .cluster import Cluster, ClusterError, free_port
from .other_machines import NoAddress, address_for_worker, interface
from .parts import Child, GivenUp, Part, look_after, tell_state

ROOT = Path(__file__).parents[3]
_FIRST_ANSWER_SECONDS = 60
#: A part that ends more often than so before the first answer does not start on this machine: no use to try on for minutes.
_FIRST_ENDS = 3


class CannotStart(Exception):
    """One sentence."""


def main() -> int:
    """Start everything and wait; returns the exit code."""
    args = _arguments()
    args.data = args.data or ROOT / (".data-worker" if args.worker else ".data")
    for number in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, lambda *_: sys.exit(0))
    folder = args.data.resolve()
    parts: list[Part] = []
    held: TextIO | None = None
    try:
        folder.mkdir(parents=True, exist_ok=True)
        held = claim(folder)
        return (_work if args.worker else _run)(folder, args, parts, held)
    except (ClusterError, Claimed, CannotStart, GivenUp, NoAddress, InputError, OSError, KeyError) as error:
        print(f"./start: {error}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 0
    finally:
        # A second word to stop must not leave half of it running.
        for number in (signal.SIGTERM, signal.SIGHUP, signal.SIGINT):
            signal.signal(number, signal.SIG_IGN)
        for part in reversed(parts):
            part.end()
        if held is not None:
            held.close()


def _arguments() -> argparse.Namespace:
    parser = argparse.ArgumentParser(prog="./start")
    parser.add_argument("--port", type=_port, default=8440)
    parser.add_argument("--data", type=Path)
    parser.add_argument("--no-demo", action="store_true")
    parser.add_argument(
        "--workers-from", metavar="ADDRESS/NETWORK", help="an address of this machine, and which network workers may come from"
    )
    parser.add_argument("--worker", metavar="HOST:PORT", help="only work, for the Hand Lens whose database that is")
    parser.add_argument("--secret", type=Path, metavar="FILE", help="its worker-secret, copied over")
    parser.add_argument("--move-contents", choices=("store", "database"), help="move all contents there, each verified, and end")
    parser.add_argument("--lengths", choices=WISHES, default=os.environ.get(WISH, "metric"))
    return parser.parse_args()


def _port(text: str) -> int:
    number = int(text) if text.isascii() and text.isdigit() else 0
    if not 1 <= number <= 65_534:
        raise argparse.ArgumentTypeError(f"{text} is no port; name a number from 1 to 65534")
    return number


def _run(folder: Path, args: argparse.Namespace, parts: list[Part], lock: TextIO) -> int:
    cluster = Cluster(folder, args.port + 1, interface(args.workers_from) if args.workers_from else None)
    parts.append(Part("database", cluster.start, lambda: cluster.number, cluster.stop, cluster.base / "log"))
    cluster.start()
    state = folder / "state.json"
    os.environ |= {
        WISH: args.lengths,
        "HANDLENS_DATABASE": cluster.url,
        "HANDLENS_DATA": str(folder),
        "HANDLENS_STATE": str(state),
    }
    _whatever_ends(_prepare, parts)
    if args.move_contents:
        return _move(args.move_contents)
    port = free_port(args.port)
    if port != args.port:
        print(f"Port {args.port} is taken by another program, so it is {port} this time.", file=sys.stderr)
    # What it says of models and folders is the owner's business.
    log = os.fdopen(os.open(folder / "log.txt", os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600), "ab")
    os.fchmod(log.fileno(), 0o600)
    gate = free_port(cluster.port + 1)
    environment = {**os.environ, "PYTHONUNBUFFERED": "1", "HANDLENS_GATE": f"http://127.0.0.1:{gate}"}
    for name, command in (
        ("gate", ["handlens.gate.serve", str(gate), str(folder / "gate")]),
        # One for each job at once, so that what they do beside their children is shared by the cores too.
        ("worker", ["handlens.jobs.worker", "--at-once", "1"]),
        *((f"worker {k}", ["handlens.jobs.worker", "--at-once", "1", "--helper"]) for k in range(2, limits.JOBS_AT_ONCE + 1)),
        ("web server", ["handlens.web.serve", str(port)]),
    ):
        child = Child(command, environment, log)
        child.begin()
        # The gate stands in for somebody else's service: that one may be down without taking the rest along. So may all workers but one.
        parts.append(
            Part(name, child.begin, child.number, child.end, folder / "log.txt", needed=name in ("worker", "web server"))
        )
    address = f"http://127.0.0.1:{port}/"
    _wait(address + "api/health", parts, folder / "log.txt")
    if not args.no_demo:
        from ..jobs.demo import load_once

        _whatever_ends(lambda: load_once(ROOT / "demo" / "models"), parts)

    def changed(states: dict[str, str]) -> None:
        tell_state(state, states)
        tell(lock, address, [n for part in parts if (n := part.process()) is not None])

    print(f"Hand Lens is at {address}  (Ctrl-C stops it)", flush=True)
    if cluster.listen is not None:
        host = f"[{cluster.listen.ip}]" if cluster.listen.version == 6 else str(cluster.listen.ip)
        secret = cluster.write_worker_secret()
        print(f"Workers join by: ./start --worker {host}:{cluster.port} --secret FILE, a copy of {secret}", flush=True)
    look_after(parts, changed)
    return 0


def _work(folder: Path, args: argparse.Namespace, parts: list[Part], lock: TextIO) -> int:
    """Work for the Hand Lens of another machine, with as many workers as this one has cores, until that is stopped."""
    if args.secret is None:
        raise CannotStart("Say by --secret where the copy of that machine's worker-secret is.")
    os.environ |= {
        "HANDLENS_DATABASE": address_for_worker(args.worker, args.secret, folder),
        "HANDLENS_DATA": str(folder),
    }
    from ..store.about import refuse_other_version

    refuse_other_version()
    log = os.fdopen(os.open(folder / "log.txt", os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600), "ab")
    environment = {**os.environ, "PYTHONUNBUFFERED": "1"}
    for k in range(1, limits.JOBS_AT_ONCE + 1):
        child = Child(["handlens.jobs.worker", "--at-once", "1", "--helper"], environment, log)
        child.begin()
        # While that machine is away they are started again and again, and go on when it is back.
        parts.append(Part(f"worker {k}", child.begin, child.number, child.end, folder / "log.txt", needed=False))
    count = "1 worker works" if len(parts) == 1 else f"{len(parts)} workers work"
    print(f"{count} for {args.worker}  (Ctrl-C stops them)", flush=True)
    look_after(parts, lambda _: tell(lock, "", [n for part in parts if (n := part.process()) is not None]))
    return 0


def _move(to: str) -> int:
    """Move all contents to the object store or back, saying how far it is."""
    from ..store.moving import move_contents

    def report(number: int, total: int) -> None:
        if number == total or number % 100 == 0:
            print(f"{number:,} of {total:,} contents", file=sys.stderr, flush=True)

    count, size = move_contents(to, report)
    print(f"{count:,} contents, {size / 2**20:,.1f} MiB, lie in the {'object store' if to == 'store' else 'database'} now.")
    return 0


def _prepare() -> None:
    """The database in its newest form, what this version is written down in it, and readings asked for that this version does not have."""
    from ..store.about import write_version
    from ..store.database import session
    from ..store.migrate import upgrade
    from ..store.queue import want_missing

    upgrade()
    write_version()
    with session() as db:
        want_missing(db)


def _whatever_ends(work: Callable[[], object], parts: list[Part]) -> None:
    """Do what can be done twice; where the database ends under it, it is started again and the work done again.

    Raises CannotStart, and what `work` raises while the database runs.
    """
    while True:
        try:
            work()
            return
        except OperationalError:
            if parts[0].alive():
                raise
            while not _tend_first(parts):
                time.sleep(0.1)


def _tend_first(parts: list[Part]) -> bool:
    """Start again what ended before all of it had started once; whether everything runs. Raises CannotStart, GivenUp."""
    up = [part.tend(time.monotonic()) for part in parts]
    for part in parts:
        if len(part.ends) > _FIRST_ENDS:
            raise CannotStart(f"The {part.name} did not start; {part.reason or f'{part.log} says why.'}")
    return all(up)


def _wait(address: str, parts: list[Part], log: Path) -> None:
    """Wait for the web server's first answer. Raises CannotStart."""
    end = time.monotonic() + _FIRST_ANSWER_SECONDS
    while time.monotonic() < end:
        _tend_first(parts)
        try:
            with urllib.request.urlopen(address, timeout=2) as answer:
                if answer.status == 200:
                    return
        except OSError:
            time.sleep(0.1)
    raise CannotStart(f"The web server did not answer within {_FIRST_ANSWER_SECONDS} seconds; {log} says why.")


if __name__ == "__main__":
    sys.exit(main())
