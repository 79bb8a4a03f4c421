"""Reads changed files by the ten thousand: every one must end in a scene or in one sentence, within time and memory.

Run: PYTHONPATH=src python tools/fuzz.py [--count 50000] [--seed 1] [--models FOLDER] [FORMAT ...]
Seeds are small files of FOLDER (third-party models) and what the writers make of small scenes; each input is a seed with some
bytes, numbers, words or blocks changed, lost, doubled or moved, or pieces of two seeds. Reading runs in worker processes with
a limit on memory and on time. USD's own library is held in a child process by the product, so that a fall of it is a sentence;
here it is counted as such.
"""

from __future__ import annotations

import argparse
import io
import json
import multiprocessing
import os
import random
import resource
import signal
import sys
import tempfile
import time
import traceback
import zipfile
from collections import Counter
from pathlib import Path
from typing import Any

import numpy as np

from handlens.core import formats
from handlens.core.formats.table import BY_NAME, FORMATS, WRITERS
from handlens.core.judge import judge
from handlens.core.judge.judge import FAILED
from handlens.core.limits import InputError
from handlens.core.measures import collect
from handlens.core.packages import FolderPackage
from handlens.core.present.ledger import ledger
from handlens.core.present.report import report
from handlens.core.rules import Intent, shipped

MEMORY = 3 * 1024**3
SECONDS = 20
LARGEST_SEED = 60_000
#: Inputs that one worker reads: a library that keeps something of each must not make the later ones fail.
A_WORKER = 1_000
WORDS = [
    b"-1",
    b"0",
    b"4294967295",
    b"999999999999",
    b"nan",
    b"1e999",
    b"-1e-999",
    b"\x00",
    b"\xff\xff\xff\xff",
    b"{",
    b"]",
    b"<",
    b"/>",
    b"\n",
    b" ",
    b"null",
    b'""',
    b"#",
]


def seeds(name: str, folder: Path) -> list[bytes]:
    """Small whole files of a format."""
    sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
    from kit.scenes import cube, rigged, scene, triangles_of

    out = []
    for path in sorted(folder.rglob("*")) if folder.is_dir() else ():
        if path.is_file() and path.suffix.lower() in BY_NAME[name].endings and path.stat().st_size < LARGEST_SEED:
            out.append(path.read_bytes())
    made = [scene(cube()), scene(triangles_of(cube()), cube("peg", 0.5)), rigged(np.random.default_rng(1))]
    if name in WRITERS:
        out += [next(iter(formats.write(m, name, "a").values())) for m in made]
    if name == "off":
        out.append(b"COFF\n4 2 0\n0 0 0 1 0 0 1\n1 0 0 0 1 0 1\n1 1 0 0 0 1 1\n0 1 0 1 1 1 1\n3 0 1 2\n3 0 2 3\n")
    if name == "usdc":
        out += [_binary_stage(next(iter(formats.write(m, "usda", "a").values()))) for m in made]
    return out


def _binary_stage(text: bytes) -> bytes:
    from pxr import Sdf

    layer = Sdf.Layer.CreateAnonymous(".usda")
    layer.ImportFromString(text.decode())
    with tempfile.TemporaryDirectory() as folder:
        layer.Export(f"{folder}/a.usdc")
        return Path(folder, "a.usdc").read_bytes()


def changed(dice: random.Random, pool: list[bytes], packed: bool) -> bytes:
    """One seed with one to four changes; of a package, half of the time what is in it, so that its checksums hold."""
    if packed and dice.random() < 0.5:
        out = io.BytesIO()
        with zipfile.ZipFile(io.BytesIO(dice.choice(pool))) as old, zipfile.ZipFile(out, "w") as new:
            for entry in old.infolist():
                data = old.read(entry)
                new.writestr(entry.filename, changed(dice, [data], False) if data and dice.random() < 0.6 else data)
        return out.getvalue()
    data = bytearray(dice.choice(pool))
    for _ in range(dice.randint(1, 4)):
        if not data:
            break
        at = dice.randrange(len(data))
        length = dice.randint(1, 64)
        match dice.randrange(9):
            case 0:
                data[at] = dice.randrange(256)
            case 1:
                data[at] ^= 1 << dice.randrange(8)
            case 2:
                del data[at : at + length]
            case 3:
                data[at:at] = dice.choice(WORDS)
            case 4:
                word = dice.choice(WORDS)
                data[at : at + len(word)] = word
            case 5:
                data[at:at] = data[at : at + length]
            case 6:
                to = dice.randrange(len(data))
                data[to : to + length] = data[at : at + length]
            case 7:
                data[at : at + 4] = dice.choice([0, 1, 255, 65535, 2**31 - 1, 2**31, 2**32 - 1, len(data)]).to_bytes(
                    4, dice.choice(["little", "big"])
                )
            case _:
                data = data[:at] + bytearray(dice.choice(pool))[at:] if dice.random() < 0.5 else data[:at]
    return bytes(data)


def _read(name: str, folder: Path, file: Path) -> None:
    package = FolderPackage(folder)
    if name in ("usda", "usdc", "usdz"):
        # The child's own function, called here: one process an input would take hours.
        from handlens.core.formats.usd import read as usd
        from handlens.core.formats.usd.child import read_stage
        from handlens.core.machine.sections import Opened

        usd.in_child = lambda task, asked, label, read=(): Opened(read_stage(asked))  # type: ignore[assignment]
        with np.errstate(all="ignore"):
            scene = formats.read(package, file.name)
    else:
        scene = formats.read(package, file.name)
    with np.errstate(all="ignore"):
        measures = collect(scene)
        judged = judge(measures, shipped()[0], Intent())
        fell = [f"{check}: {why}" for check, why in judged.skipped if why.startswith(FAILED)]
        if fell:
            raise AssertionError("; ".join(fell))
        json.dumps(report({}, measures, judged), allow_nan=False)
        ledger(measures, shipped()[0], Intent(), judged)


def _worker(name: str, pool: list[bytes], first: int, last: int, seed: int, pipe: Any) -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    sink = os.open(os.devnull, os.O_WRONLY)
    os.dup2(sink, 1)
    os.dup2(sink, 2)
    signal.signal(signal.SIGALRM, lambda *_: (_ for _ in ()).throw(TimeoutError()))
    with tempfile.TemporaryDirectory() as folder:
        for k in range(first, min(last, first + A_WORKER)):
            # A name of its own for each: USD's library keeps what it once read under a name.
            file = Path(folder, f"a{k}{BY_NAME[name].endings[0]}")
            file.write_bytes(changed(random.Random(f"{seed} {name} {k}"), pool, name in ("3mf", "usdz")))
            pipe.send((k, "begun", ""))
            signal.alarm(SECONDS)
            try:
                _read(name, Path(folder), file)
                end, told = "read", ""
            except InputError as error:
                end, told = ("refused", "") if "\n" not in str(error) else ("two lines", str(error))
            except TimeoutError:
                end, told = "too long", ""
            except MemoryError:
                end, told = "too large", traceback.format_exc(limit=-3)
            except BaseException:
                end, told = "traceback", traceback.format_exc(limit=-4)
            signal.alarm(0)
            file.unlink()
            pipe.send((k, end, told))
    pipe.send((min(last, first + A_WORKER), "rest", ""))
    pipe.close()


def run(name: str, count: int, seed: int, folder: Path, workers: int) -> Counter[str]:
    """Read `count` changed files of a format; prints whatever went wrong with the number that makes it again."""
    pool = seeds(name, folder)
    ends: Counter[str] = Counter()
    native = name.startswith("usd")
    told: set[str] = set()
    spans = [[k * count // workers, (k + 1) * count // workers] for k in range(workers)]
    live: list[tuple[Any, Any, list[int]]] = []

    def start(span: list[int]) -> None:
        here, there = multiprocessing.Pipe(duplex=False)
        process = multiprocessing.Process(target=_worker, args=(name, pool, *span, seed, there), daemon=True)
        process.start()
        there.close()
        live.append((process, here, span))

    for span in spans:
        start(span)
    while live:
        for item in list(live):
            process, pipe, span = item
            try:
                if not pipe.poll(0.05):
                    continue
                k, end, why = pipe.recv()
            except (EOFError, OSError):
                live.remove(item)
                process.join()
                if span[0] < span[1]:
                    end = "ended by the child's fall" if native else "crash"
                    ends[end] += 1
                    if not native:
                        print(f"  {name} {span[0]}: crash ({process.exitcode})", flush=True)
                    span[0] += 1
                    if span[0] < span[1]:
                        start(span)
                continue
            if end == "begun":
                span[0] = k
                continue
            if end == "rest":
                live.remove(item)
                process.join()
                if k < span[1]:
                    span[0] = k
                    start(span)
                continue
            span[0] = k + 1
            ends[end] += 1
            if why and why.splitlines()[-1] not in told:
                told.add(why.splitlines()[-1])
                print(f"  {name} {k}: {end}\n{why}", flush=True)
    return ends


def main() -> int:
    p = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    p.add_argument("--count", type=int, default=50_000)
    p.add_argument("--seed", type=int, default=1)
    p.add_argument("--models", type=Path, default=Path("/usr/share/assimp/models"))
    p.add_argument("--workers", type=int, default=os.cpu_count() or 1)
    p.add_argument("formats", nargs="*", default=[f.name for f in FORMATS])
    args = p.parse_args()
    wrong = 0
    for name in args.formats:
        began = time.monotonic()
        ends = run(name, args.count, args.seed, args.models, args.workers)
        bad = sum(v for k, v in ends.items() if k not in ("read", "refused", "ended by the child's fall"))
        wrong += bad
        print(f"{name}: {sum(ends.values()):,} inputs, {dict(ends)}, {time.monotonic() - began:.0f} s", flush=True)
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
