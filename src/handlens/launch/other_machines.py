"""Workers on other machines: how the database lets them in, and how one of them begins.

They come over TLS with a certificate that the database's machine made for itself; a file that its owner copies over holds that and the
secret, so a worker knows whom it speaks to before it says a word of it.
"""

from __future__ import annotations

import ipaddress
import os
import subprocess
from pathlib import Path
from urllib.parse import quote

#: Years for which a certificate holds: what it is good for ends with the data folder.
_DAYS = 3650


class NoAddress(Exception):
    """What was named is no address; one sentence."""


def interface(text: str) -> ipaddress.IPv4Interface | ipaddress.IPv6Interface:
    """An address of this machine with its network, as in 10.0.0.1/24. Raises NoAddress."""
    try:
        found = ipaddress.ip_interface(text)
    except ValueError:
        raise NoAddress(f"{text} is no address with a network; write it as 10.0.0.1/24.") from None
    if "/" not in text or found.network.prefixlen == 0:
        raise NoAddress(f"{text} says not which network workers may come from; write it as 10.0.0.1/24.")
    return found


def make_certificate(folder: Path, address: str) -> tuple[Path, Path]:
    """Certificate and key of this machine under an address, made once. folder: of the database, which its owner alone can read. Raises OSError."""
    certificate, key = folder / "server.crt", folder / "server.key"
    of = folder / "server.address"
    if certificate.exists() and key.exists() and of.exists() and of.read_text() == address:
        return certificate, key
    what = ["req", "-x509", "-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:prime256v1", "-nodes", "-days", str(_DAYS)]
    whose = ["-subj", f"/CN={address}", "-addext", f"subjectAltName=IP:{address}", "-keyout", str(key), "-out", str(certificate)]
    done = subprocess.run(["openssl", *what, *whose], capture_output=True, text=True)
    if done.returncode:
        raise OSError(f"a certificate could not be made: {done.stderr.strip().splitlines()[-1]}")
    key.chmod(0o600)
    of.write_text(address)
    return certificate, key


def write_pass(place: Path, secret: str, certificate: Path) -> None:
    """What a worker elsewhere needs beside the address, in one file that the owner alone can read: the secret, and the certificate."""
    new = place.with_suffix(".new")
    new.unlink(missing_ok=True)
    with os.fdopen(os.open(new, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as file:
        file.write(f"*:*:handlens:handlens:{secret}\n{certificate.read_text()}")
    new.replace(place)


def address_for_worker(address: str, secret: Path, folder: Path) -> str:
    """The database's address for libpq, from what a worker was told. address: HOST:PORT. secret: the file that was copied over. folder: where
    its two parts are laid, as libpq wants them. Raises NoAddress, OSError."""
    host, colon, port = address.rpartition(":")
    if not colon or not (port.isascii() and port.isdigit()) or not host:
        raise NoAddress(f"{address} is no address of a database; write it as HOST:PORT, as `./start` on that machine says it.")
    line, _, certificate = secret.read_text().partition("\n")
    if not line.startswith("*:*:handlens:handlens:") or "BEGIN CERTIFICATE" not in certificate:
        raise NoAddress(f"{secret} is no secret of a database; copy the file worker-secret from that machine's data folder.")
    for name, text in (("database-secret", line + "\n"), ("database-certificate", certificate)):
        with os.fdopen(os.open(folder / name, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
            file.write(text)
    options = {
        "host": host.strip("[]"),
        "port": port,
        "passfile": str(folder / "database-secret"),
        "sslmode": "verify-full",
        "sslrootcert": str(folder / "database-certificate"),
        "connect_timeout": "10",
        # A machine that is gone without a word is noticed within half a minute.
        "keepalives_idle": "10",
        "keepalives_interval": "5",
        "keepalives_count": "4",
    }
    return "postgresql://handlens@/handlens?" + "&".join(f"{key}={quote(value, safe='')}" for key, value in options.items())
