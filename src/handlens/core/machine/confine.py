"""A process that has read its own program locks itself in: from then on it reads what it was given, writes where it was told, and
reaches nothing else, whatever the file that it opens makes a library do.

Linux: Landlock (landlock(7)) for files and connections, no new privileges (prctl(2)), no capabilities and, as root, another user
and a network of its own (capabilities(7), unshare(2)). Each is taken where the kernel has it; `confine` says which were.
"""

from __future__ import annotations

import ctypes
import errno
import os
import struct
import sys
import sysconfig
import tempfile
from collections.abc import Iterable
from pathlib import Path

_CREATE_RULESET, _ADD_RULE, _RESTRICT_SELF = 444, 445, 446  # the same on every architecture
_PATH_BENEATH, _ABI = 1, 1
_PR_SET_NO_NEW_PRIVS, _PR_CAPBSET_DROP = 38, 24
_CLONE_NEWIPC, _CLONE_NEWNET = 0x08000000, 0x40000000

# linux/landlock.h
_EXECUTE, _WRITE_FILE, _READ_FILE, _READ_DIR = 1, 2, 4, 8
_REFER, _TRUNCATE, _IOCTL = 1 << 13, 1 << 14, 1 << 15
_READ = _EXECUTE | _READ_FILE | _READ_DIR
_ALL_OF_FIRST = (1 << 13) - 1
_BIND_TCP, _CONNECT_TCP = 1, 2
_SCOPE_ABSTRACT_UNIX, _SCOPE_SIGNAL = 1, 2

#: What any program of the system may need: libraries, their settings, what the processor can do.
_SYSTEM = (
    "/usr",
    "/lib",
    "/lib64",
    "/bin",
    "/etc/ld.so.cache",
    "/etc/ld.so.conf",
    "/etc/ld.so.conf.d",
    "/etc/localtime",
    "/etc/fonts",
    "/sys/devices/system",
    "/proc",
    "/dev/null",
    "/dev/zero",
    "/dev/urandom",
    "/dev/random",
)
_SCRATCH = ("/dev/null",)
#: Names of the environment that a confined process keeps: none says anything of who runs it.
KEPT = (
    "PATH",
    "LANG",
    "LC_ALL",
    "LC_CTYPE",
    "TZ",
    "PYTHONPATH",
    "PYTHONHASHSEED",
    "PYTHONUNBUFFERED",
    "LD_LIBRARY_PATH",
    "HANDLENS_LENGTHS",
)
_NOBODY = 65_534

_libc = ctypes.CDLL(None, use_errno=True)


def program_places() -> list[Path]:
    """Where this program lies: the interpreter, its packages, our own source."""
    paths = sysconfig.get_paths()
    places = {sys.prefix, sys.base_prefix, sys.exec_prefix, *(paths[k] for k in ("stdlib", "platstdlib", "purelib", "platlib"))}
    places |= {str(Path(sys.executable).resolve().parent), str(Path(__file__).parents[3])}
    return [Path(place) for place in sorted(places)]


def plain_environment() -> dict[str, str]:
    """The environment for a child that opens files of others: no secret, no address, nothing that loads plug-ins; one thread for
    arithmetic, since threads that began before are not locked in."""
    kept = {k: v for k, v in os.environ.items() if k in KEPT}
    return {**kept, "OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1", "HOME": "/nonexistent", "PYTHONDONTWRITEBYTECODE": "1"}


def confine(read: Iterable[Path | str] = (), write: Iterable[Path | str] = ()) -> list[str]:
    """Lock this process in. read: files and folders that may be read; write: that may be read and written, in which new files are
    made too; temporary files go to the first of them. Returns what was taken of: user, capabilities, network, files.

    For good, and for all that the process starts from here on.
    """
    done: list[str] = []
    if not sys.platform.startswith("linux"):
        return done
    given, own = [Path(p) for p in read], [Path(p) for p in write]
    if own:
        tempfile.tempdir = os.environ["TMPDIR"] = str(own[0])
    if os.geteuid() == 0:
        if _libc.unshare(_CLONE_NEWNET | _CLONE_NEWIPC) == 0:
            done.append("network")
        done += _less([*own, *given])
    _libc.prctl(_PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0)
    if _landlock([*program_places(), *_SYSTEM, *given], [*own, *_SCRATCH]):
        done.append("files")
    return done


# --- who it is ----------------------------------------------------------------------------------------


def _less(needed: list[Path]) -> list[str]:
    """From root to nobody, where nobody can reach the program and what is needed; without any of root's powers in any case."""
    done = []
    if all(_open_to_all(p) for p in [*program_places(), *needed]):
        try:
            os.setgroups([])
            os.setresgid(_NOBODY, _NOBODY, _NOBODY)
            os.setresuid(_NOBODY, _NOBODY, _NOBODY)
            done.append("user")
        except OSError:
            pass
    for capability in range(64):
        _libc.prctl(_PR_CAPBSET_DROP, capability, 0, 0, 0)
    header, none = struct.pack("<Ii", 0x20080522, 0), bytes(24)  # capset(2), version 3: all sets empty
    if _libc.capset(header, none) == 0:
        done.append("capabilities")
    return done


def _open_to_all(place: Path) -> bool:
    """Whether everyone may pass to a place; a folder that was given to nobody counts too."""
    way = [place, *place.parents]
    try:
        return all(p.stat().st_mode & 0o001 or p.stat().st_uid == _NOBODY for p in way if p.is_dir())
    except OSError:
        return False


def give_to_nobody(folder: Path) -> None:
    """Let the user that a confined process of root's becomes have a folder, where that user can come to it at all."""
    if os.geteuid() == 0 and all(_open_to_all(p) for p in [*program_places(), folder.parent]):
        os.chown(folder, _NOBODY, _NOBODY)


# --- what it reaches ----------------------------------------------------------------------------------


def landlock_version() -> int:
    """The kernel's version of Landlock, 0 where it has none."""
    return max(int(_libc.syscall(_CREATE_RULESET, None, ctypes.c_size_t(0), _ABI)), 0)


def _landlock(read: Iterable[Path | str], write: Iterable[Path | str]) -> bool:
    version = landlock_version()
    if version == 0:
        return False
    files = _ALL_OF_FIRST | (_REFER if version >= 2 else 0) | (_TRUNCATE if version >= 3 else 0) | (_IOCTL if version >= 5 else 0)
    net = _BIND_TCP | _CONNECT_TCP if version >= 4 else 0
    scoped = _SCOPE_ABSTRACT_UNIX | _SCOPE_SIGNAL if version >= 6 else 0
    attributes = struct.pack("<QQQ", files, net, scoped)[: 24 if version >= 6 else 16 if version >= 4 else 8]
    rules = _libc.syscall(_CREATE_RULESET, attributes, ctypes.c_size_t(len(attributes)), 0)
    if rules < 0:
        return False
    try:
        for place in read:
            _allow(rules, place, files & _READ)
        for place in write:
            _allow(rules, place, files & ~_EXECUTE)
        return bool(_libc.syscall(_RESTRICT_SELF, rules, 0) == 0)
    finally:
        os.close(rules)


def _allow(rules: int, place: Path | str, access: int) -> None:
    try:
        there = os.open(place, os.O_PATH | os.O_CLOEXEC)
    except OSError as error:
        if error.errno in (errno.ENOENT, errno.ENOTDIR, errno.EACCES):
            return
        raise
    try:
        if not os.path.isdir(f"/proc/self/fd/{there}"):
            access &= _EXECUTE | _WRITE_FILE | _READ_FILE | _TRUNCATE | _IOCTL
        _libc.syscall(_ADD_RULE, rules, _PATH_BENEATH, struct.pack("<Qi", access, there), 0)
    finally:
        os.close(there)
