"""Readers that rest on native libraries run in a child process with limits, so that a damaged file can at worst end the child.

A task is a function in a module of this package, named "module:function"; it gets a request and answers with a container of
a header and arrays (`sections`). What comes back is checked by whoever asked: a child that read a hostile file is not trusted.
"""

from __future__ import annotations

import importlib
import json
import os
import resource
import signal
import subprocess
import sys
from collections.abc import Mapping, Sequence
from pathlib import Path
from types import MappingProxyType

from ..limits import CHILD_MEMORY_BYTES, CHILD_SECONDS, InputError
from ..words.json_tree import Json
from .confine import confine, plain_environment
from .messages import say
from .parent import end_with_parent
from .sections import Opened

_SOURCE = Path(__file__).parents[3]


def in_child(
    task: str,
    request: Json,
    label: str,
    seconds: int = CHILD_SECONDS,
    read: Sequence[Path | str] = (),
    settings: Mapping[str, str] = MappingProxyType({}),
) -> Opened:
    """Run a task on a request that JSON can hold, with nothing in reach but `read`. settings: of its environment, besides a plain one. Raises InputError with the child's sentence, or
    one of its own where it fell."""
    env = {**plain_environment(), "PYTHONPATH": str(_SOURCE), **settings}
    try:
        done = subprocess.run(
            [sys.executable, "-m", "handlens.core.machine.native", task],
            input=json.dumps({"request": request, "read": [str(p) for p in read]}).encode(),
            env=env,
            cwd="/",
            capture_output=True,
            timeout=seconds,
        )
    except subprocess.TimeoutExpired as error:
        raise InputError(say("reading.reader-busy", label=label, seconds=seconds)) from error
    if done.returncode == 3:
        raise InputError(done.stderr.decode("utf-8", "replace").strip().rpartition("\n")[2])
    if done.returncode != 0:
        raise InputError(say("reading.reader-stopped", label=label))
    return Opened(done.stdout)


def _main(task: str) -> int:
    end_with_parent(signal.SIGKILL)
    # Whoever asks may have less than a process of its own would: nobody gets more than that.
    asker = resource.getrlimit(resource.RLIMIT_AS)[1]
    most = CHILD_MEMORY_BYTES if asker == resource.RLIM_INFINITY else min(CHILD_MEMORY_BYTES, asker)
    resource.setrlimit(resource.RLIMIT_AS, (most, most))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    # Libraries write warnings where they like; the answer goes out by a descriptor of its own.
    out = os.dup(1)
    os.dup2(2, 1)
    asked = json.load(sys.stdin)
    confine(asked["read"])
    module, _, function = task.partition(":")
    try:
        answer: bytes = getattr(importlib.import_module(f"handlens.core.{module}"), function)(asked["request"])
    except InputError as error:
        print(error, file=sys.stderr)
        return 3
    with os.fdopen(out, "wb") as sink:
        sink.write(answer)
    return 0


if __name__ == "__main__":
    sys.exit(_main(sys.argv[1]))
