"""A PostgreSQL cluster of our own on loopback. A cluster that this module did not make is never touched."""

from __future__ import annotations

import os
import pwd
import shutil
import socket
import subprocess
from pathlib import Path

MARK = "hand-lens-made-this"


class ClusterError(Exception):
    """The cluster cannot be made or started; one sentence."""


def binaries() -> Path:
    """The newest installed PostgreSQL's programs (Debian keeps them off the PATH)."""
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"), key=lambda p: int(p.parts[-3]))
    if not found:
        raise ClusterError("PostgreSQL is not installed; ./start installs it.")
    return found[-1].parent


def free_port(wanted: int) -> int:
    """The wanted port, or the next free one above it."""
    for port in range(wanted, wanted + 200):
        with socket.socket() as s:
            s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                s.bind(("127.0.0.1", port))
            except OSError:
                continue
            return port
    raise ClusterError(f"No port from {wanted} to {wanted + 199} is free.")


class Cluster:
    """A cluster in `folder`/database. As root it runs as the postgres user, which initdb demands."""

    def __init__(self, folder: Path, port: int) -> None:
        self.folder, self.base, self.wanted_port = folder, folder / "database", port
        self.bin = binaries()
        self.user = pwd.getpwnam("postgres") if os.geteuid() == 0 else None
        self.port = port

    def _run(self, *command: str) -> subprocess.CompletedProcess[str]:
        kwargs = {} if self.user is None else {"user": self.user.pw_uid, "group": self.user.pw_gid, "extra_groups": []}
        env = {**os.environ, "LC_ALL": "C.UTF-8", "HOME": str(self.base)}
        return subprocess.run(command, capture_output=True, text=True, env=env, cwd="/", **kwargs)  # type: ignore[call-overload,no-any-return]

    @property
    def url(self) -> str:
        return f"postgresql://handlens@127.0.0.1:{self.port}/handlens"

    def start(self) -> None:
        """Make the cluster on first use, then start it. Raises ClusterError."""
        fresh = not (self.base / "PG_VERSION").exists()
        if fresh:
            self._make()
        elif not (self.base / MARK).exists():
            raise ClusterError(f"{self.base} holds a database that Hand Lens did not make; choose another --data folder.")
        if self._running():
            self._run(str(self.bin / "pg_ctl"), "-D", str(self.base), "-m", "fast", "-w", "stop")
        self.port = free_port(self.wanted_port)
        sockets = self.base / "sockets"
        options = f"-p {self.port} -c listen_addresses=127.0.0.1 -c unix_socket_directories='{sockets}'"
        done = self._run(
            str(self.bin / "pg_ctl"), "-D", str(self.base), "-l", str(self.base / "log"), "-o", options, "-w", "-t", "30", "start"
        )
        if done.returncode:
            tail = (self.base / "log").read_text(errors="replace")[-300:].strip().splitlines()
            raise ClusterError(f"The database did not start: {tail[-1] if tail else done.stderr.strip()}")
        if fresh:
            made = self._run(
                str(self.bin / "createdb"),
                "-h",
                "127.0.0.1",
                "-p",
                str(self.port),
                "-U",
                "handlens",
                "-E",
                "UTF8",
                "-T",
                "template0",
                "handlens",
            )
            if made.returncode:
                raise ClusterError(f"The database could not be made: {made.stderr.strip()}")

    def _make(self) -> None:
        self.base.mkdir(parents=True, exist_ok=True)
        if any(self.base.iterdir()):
            raise ClusterError(f"{self.base} is not empty and holds no database; choose another --data folder.")
        if self.user is not None:
            shutil.chown(self.base, self.user.pw_uid, self.user.pw_gid)
            self._let_through()
        done = self._run(
            str(self.bin / "initdb"),
            "-D",
            str(self.base),
            "-U",
            "handlens",
            "-A",
            "trust",
            "-E",
            "UTF8",
            "--no-locale",
            "--no-sync",
        )
        if done.returncode:
            raise ClusterError(f"The database could not be made: {done.stderr.strip().splitlines()[-1]}")
        (self.base / "sockets").mkdir()
        (self.base / MARK).touch()
        if self.user is not None:
            shutil.chown(self.base / "sockets", self.user.pw_uid, self.user.pw_gid)

    def _let_through(self) -> None:
        """Let the postgres user pass through our own folder, which root may have made private."""
        if not os.access(self.folder, os.X_OK) or not self.folder.stat().st_mode & 0o001:
            self.folder.chmod(self.folder.stat().st_mode | 0o011)

    @property
    def alive(self) -> bool:
        """Whether the server that was started is still there: it takes its own file away when it ends."""
        return (self.base / "postmaster.pid").exists()

    def _running(self) -> bool:
        return self._run(str(self.bin / "pg_ctl"), "-D", str(self.base), "status").returncode == 0

    def stop(self) -> None:
        self._run(str(self.bin / "pg_ctl"), "-D", str(self.base), "-m", "fast", "-w", "stop")
