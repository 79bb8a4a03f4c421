"""A PostgreSQL cluster of our own. A cluster that this module did not make is never touched.

Whoever runs it is its administrator, through its socket and by the kernel's word for who asks (`peer`). Hand Lens itself comes
as `handlens`, a role that owns its database and nothing else, with a secret that only the owner of the data folder can read
(`scram-sha-256`), over the socket first and over loopback for other tools.
"""

from __future__ import annotations

import ipaddress
import os
import pwd
import secrets
import shutil
import signal
import socket
import subprocess
import tempfile
import time
from pathlib import Path
from urllib.parse import quote

from ..core.machine.parent import end_with_parent
from .other_machines import make_certificate, write_pass

MARK = "hand-lens-made-this"
#: Longest path of a Unix socket (unix(7)), less the name that the server gives its own.
_SOCKET_PATH = 107 - len("/.s.PGSQL.65535.lock")
_START_SECONDS, _STOP_SECONDS = 60, 30
#: Connections at the most: a worker holds about six, the web server up to forty; each that is open takes some ten megabytes.
_CONNECTIONS = 600
#: The role that may do everything.
_ADMIN = "administrator"


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
    for port in range(wanted, min(wanted + 200, 65536)):
        with socket.socket() as server:
            server.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                server.bind(("127.0.0.1", port))
            except OSError:
                continue
            return port
    raise ClusterError(f"No port from {wanted} on is free.")


class Cluster:
    """A cluster in `folder`/database. As root it runs as the postgres user, which initdb demands."""

    def __init__(self, folder: Path, port: int, listen: ipaddress.IPv4Interface | ipaddress.IPv6Interface | None = None) -> None:
        self.folder, self.base, self.wanted_port, self.listen = folder, folder / "database", port, listen
        self.bin = binaries()
        self.user = pwd.getpwnam("postgres") if os.geteuid() == 0 else None
        #: Who runs the server; nobody else may be its administrator.
        self.owner = self.user.pw_name if self.user else pwd.getpwuid(os.geteuid()).pw_name
        self.port = port
        self.secret = folder / "database-secret"
        self.server: subprocess.Popen[bytes] | None = None
        own = self.base / "sockets"
        self.sockets = own if len(str(own)) <= _SOCKET_PATH else Path(tempfile.gettempdir()) / f"handlens-{os.geteuid()}-{port}"

    def _as_owner(self) -> dict[str, object]:
        return {} if self.user is None else {"user": self.user.pw_uid, "group": self.user.pw_gid, "extra_groups": []}

    def _run(self, *command: str, given: str | None = None) -> subprocess.CompletedProcess[str]:
        env = {"PATH": os.environ.get("PATH", ""), "LC_ALL": "C.UTF-8", "HOME": str(self.folder)}
        answer: subprocess.CompletedProcess[str] = subprocess.run(
            command, capture_output=True, text=True, env=env, cwd="/", input=given, **self._as_owner()
        )  # type: ignore[call-overload]
        return answer

    @property
    def url(self) -> str:
        """Address for libpq; the secret is not in it but in the file that it names."""
        place = f"host={quote(str(self.sockets), safe='')}&port={self.port}&passfile={quote(str(self.secret), safe='')}"
        return f"postgresql://handlens@/handlens?{place}"

    def start(self) -> None:
        """Make the cluster on first use, start it, and see to it that our role can use its database. Raises ClusterError."""
        if not (self.base / "PG_VERSION").exists():
            self._make()
        elif not (self.base / MARK).exists():
            raise ClusterError(f"{self.base} holds a database that Hand Lens did not make; choose another --data folder.")
        if self._running():
            self._run(str(self.bin / "pg_ctl"), "-D", str(self.base), "-m", "fast", "-w", "stop")
        former = self._has_trust()
        self._write_access(former)
        self._launch()
        if former:
            self._give_up_trust()
        self._let_in(former)
        if former:
            self._write_access()
            self._run(str(self.bin / "pg_ctl"), "-D", str(self.base), "reload")

    def _has_trust(self) -> bool:
        """Whether an earlier version made the cluster, for anyone; also where putting that in order was cut off."""
        lines = (self.base / "pg_hba.conf").read_text().splitlines()
        return any(line.split()[-1:] in (["trust"], ["map=owner"]) and " all all " in " ".join(line.split()) for line in lines)

    def _addresses(self) -> list[str]:
        return ["127.0.0.1", *([] if self.listen is None else [str(self.listen.ip)])]

    def _refuse_elsewhere(self, address: str) -> None:
        """Raises ClusterError where nothing can listen at an address: the server itself would only log that and go on without."""
        family = socket.AF_INET6 if ":" in address else socket.AF_INET
        with socket.socket(family) as client:
            client.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                client.bind((address, self.port))
            except OSError as error:
                raise ClusterError(
                    f"Nothing can listen at {address}, port {self.port}: {error.strerror}. Name an address of this machine."
                ) from error

    def _tls(self) -> list[str]:
        """Settings by which what goes over the network is encrypted; none where nothing does."""
        if self.listen is None:
            return []
        try:
            certificate, key = make_certificate(self.base, str(self.listen.ip))
        except OSError as error:
            raise ClusterError(f"Workers on other machines cannot be let in: {error}.") from error
        if self.user is not None:
            for path in (certificate, key):
                shutil.chown(path, self.user.pw_uid, self.user.pw_gid)
        settings = ("ssl=on", f"ssl_cert_file={certificate}", f"ssl_key_file={key}", "ssl_min_protocol_version=TLSv1.3")
        return [word for setting in settings for word in ("-c", setting)]

    def write_worker_secret(self) -> Path:
        """The file that a worker on another machine needs; returns where it is."""
        place = self.folder / "worker-secret"
        write_pass(place, self.secret.read_text().strip().rpartition(":")[2], self.base / "server.crt")
        return place

    def _launch(self) -> None:
        """Start the server as a child that ends with this process."""
        self.port = free_port(self.wanted_port)
        if self.listen is not None:
            self._refuse_elsewhere(str(self.listen.ip))
        self.sockets.mkdir(exist_ok=True)
        self.sockets.chmod(0o700)
        if self.user is not None:
            shutil.chown(self.sockets, self.user.pw_uid, self.user.pw_gid)
        log = (self.base / "log").open("ab")
        env = {"PATH": os.environ.get("PATH", ""), "LC_ALL": "C.UTF-8", "HOME": str(self.base)}
        self.server = subprocess.Popen(
            [
                str(self.bin / "postgres"),
                "-D",
                str(self.base),
                "-p",
                str(self.port),
                "-c",
                f"listen_addresses={','.join(self._addresses())}",
                *self._tls(),
                "-c",
                f"unix_socket_directories={self.sockets}",
                "-c",
                "unix_socket_permissions=0700",
                "-c",
                "password_encryption=scram-sha-256",
                "-c",
                f"max_connections={_CONNECTIONS}",
            ],
            stdout=log,
            stderr=log,
            stdin=subprocess.DEVNULL,
            env=env,
            cwd="/",
            start_new_session=True,
            # A fast shutdown (PostgreSQL documentation, "Shutting Down the Server"), also where this process is killed.
            preexec_fn=lambda: end_with_parent(signal.SIGINT),
            **self._as_owner(),
        )  # type: ignore[call-overload]
        end = time.monotonic() + _START_SECONDS
        while time.monotonic() < end and self.server is not None and self.server.poll() is None:
            ready = self._run(str(self.bin / "pg_isready"), "-h", str(self.sockets), "-p", str(self.port), "-q")
            if ready.returncode == 0:
                # One that is started again is where its users know it to be.
                self.wanted_port = self.port
                return
            time.sleep(0.1)
        tail = (self.base / "log").read_text(errors="replace")[-600:].strip().splitlines()
        self.stop()
        raise ClusterError(_why(tail[-1] if tail else "it did not answer", self.base))

    def _make(self) -> None:
        """Made under another name, which a making that was cut off leaves behind, and given its own when it is whole."""
        self.folder.mkdir(parents=True, exist_ok=True)
        if self.base.exists() and any(self.base.iterdir()):
            raise ClusterError(f"{self.base} is not empty and holds no database; choose another --data folder.")
        making = self.base.with_suffix(".making")
        shutil.rmtree(making, ignore_errors=True)
        making.mkdir()
        if self.user is not None:
            shutil.chown(making, self.user.pw_uid, self.user.pw_gid)
            self._grant_traverse()
        done = self._run(
            str(self.bin / "initdb"),
            "-D",
            str(making),
            "-U",
            _ADMIN,
            "--auth-local=peer",
            "--auth-host=scram-sha-256",
            "-E",
            "UTF8",
            "--no-locale",
            "--no-sync",
        )
        if done.returncode:
            raise ClusterError(_why((done.stderr.strip() or "its making was ended").splitlines()[-1], self.base))
        (making / MARK).touch()
        making.replace(self.base)

    def _write_access(self, former: bool = False) -> None:
        """Who may come in: the administrator by the kernel's word, our role by its secret, nobody else."""
        access = [
            "local all all peer map=owner" if former else f"local all {_ADMIN} peer map=owner",
            "local handlens handlens scram-sha-256",
            "host handlens handlens 127.0.0.1/32 scram-sha-256",
        ]
        if self.listen is not None:
            access.append(f"hostssl handlens handlens {self.listen.network} scram-sha-256")
        # An earlier version's roles are asked for once more, by the owner alone, to be put in order.
        roles = (_ADMIN, "handlens", "passing") if former else (_ADMIN,)
        note = "# Written by Hand Lens at each start."
        (self.base / "pg_hba.conf").write_text("\n".join([note, *access, ""]))
        (self.base / "pg_ident.conf").write_text("\n".join([note, *(f'owner "{self.owner}" {role}' for role in roles), ""]))

    def _psql(self, database: str, sql: str, role: str) -> subprocess.CompletedProcess[str]:
        """Run statements. They go in by standard input: an argument could be read by others."""
        at = ("-h", str(self.sockets), "-p", str(self.port), "-U", role, "-d", database)
        return self._run(str(self.bin / "psql"), *at, "-X", "-q", "-A", "-t", "-v", "ON_ERROR_STOP=1", given=sql)

    def _admin(self, database: str, sql: str, role: str = _ADMIN) -> str:
        done = self._psql(database, sql, role)
        if done.returncode:
            raise ClusterError(f"The database could not be set up: {done.stderr.strip().splitlines()[-1]}")
        return done.stdout.strip()

    def _let_in(self, former: bool) -> None:
        """Our role with its secret, and its database."""
        if not self.secret.exists() or not self.secret.read_text().strip():
            self._keep_secret(secrets.token_urlsafe(32))
        word = self.secret.read_text().strip().rpartition(":")[2]
        if not self._admin("postgres", "SELECT 1 FROM pg_roles WHERE rolname = 'handlens'"):
            self._admin("postgres", "CREATE ROLE handlens LOGIN")
        may = "LOGIN NOSUPERUSER NOCREATEDB NOCREATEROLE NOREPLICATION NOBYPASSRLS"
        self._admin("postgres", f"ALTER ROLE handlens {may} PASSWORD '{word}'")
        if not self._admin("postgres", "SELECT 1 FROM pg_database WHERE datname = 'handlens'"):
            self._admin("postgres", "CREATE DATABASE handlens OWNER handlens ENCODING 'UTF8' TEMPLATE template0")
        if former:
            self._admin("postgres", "ALTER DATABASE handlens OWNER TO handlens")
            self._admin("handlens", _OWN)

    def _keep_secret(self, word: str) -> None:
        """A password file of libpq's, readable by its owner alone from its first moment on."""
        new = self.secret.with_suffix(".new")
        new.unlink(missing_ok=True)
        with os.fdopen(os.open(new, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as file:
            file.write(f"*:*:handlens:handlens:{word}\n")
        new.replace(self.secret)

    def _give_up_trust(self) -> None:
        """A cluster of an earlier version has one role, a superuser that anyone could be: it becomes the administrator, under
        another name. Every step may have been done already, by a start that was cut off."""
        if self._psql("postgres", "SELECT 1", _ADMIN).returncode:
            self._psql("postgres", "CREATE ROLE passing SUPERUSER LOGIN", "handlens")
            self._admin("postgres", f"ALTER ROLE handlens RENAME TO {_ADMIN}", "passing")
        self._admin("postgres", "DROP ROLE IF EXISTS passing")

    def _grant_traverse(self) -> None:
        """Let the postgres user pass through our own folder, which root may have made private."""
        if not os.access(self.folder, os.X_OK) or not self.folder.stat().st_mode & 0o001:
            self.folder.chmod(self.folder.stat().st_mode | 0o011)

    @property
    def number(self) -> int | None:
        """The server's process, None where it does not run."""
        return self.server.pid if self.server is not None and self.server.poll() is None else None

    @property
    def alive(self) -> bool:
        return self.number is not None

    def _running(self) -> bool:
        return self._run(str(self.bin / "pg_ctl"), "-D", str(self.base), "status").returncode == 0

    def stop(self) -> None:
        """A fast shutdown; one that does not come in time is made an immediate one, from which PostgreSQL recovers by its log."""
        server, self.server = self.server, None
        if server is None or server.poll() is not None:
            return
        for number, patience in ((signal.SIGINT, _STOP_SECONDS), (signal.SIGQUIT, 5), (signal.SIGKILL, 5)):
            server.send_signal(number)
            try:
                server.wait(patience)
                return
            except subprocess.TimeoutExpired:
                continue


#: What an earlier version's one role made becomes our role's: schemas, tables with their sequences, views, types and routines.
_OWN = """
DO $$ DECLARE x record; BEGIN
  FOR x IN SELECT format('SCHEMA %I', nspname) AS what FROM pg_namespace WHERE nspname = 'queue'
    UNION ALL SELECT format('TABLE %s', c.oid::regclass) FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
      WHERE n.nspname IN ('public', 'queue') AND c.relkind IN ('r', 'p', 'v', 'm')
    UNION ALL SELECT format('TYPE %s', t.oid::regtype) FROM pg_type t JOIN pg_namespace n ON n.oid = t.typnamespace
      WHERE n.nspname IN ('public', 'queue') AND (t.typtype IN ('e', 'd') OR t.typrelid IN (SELECT oid FROM pg_class WHERE relkind = 'c'))
    UNION ALL SELECT format('ROUTINE %s', p.oid::regprocedure) FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace
      WHERE n.nspname IN ('public', 'queue')
  LOOP EXECUTE 'ALTER ' || x.what || ' OWNER TO handlens'; END LOOP;
END $$
"""


def _why(last: str, base: Path) -> str:
    if "No space left" in last:
        return f"The database did not start: the disk that holds {base} is full. Free some of it, then start again."
    return f"The database did not start: {last.strip().rstrip('.')}."
