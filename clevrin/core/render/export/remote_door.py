"""The way to a scheduler (Dask's own): its address, whether anybody answers there, and how it is kept from others.

Who reaches a scheduler can run code on its workers. On a way that others can reach it is to be TLS, with certificates
of an authority of one's own on both sides.
"""

import logging
import socket
import ssl
import struct
import threading
import time
from dataclasses import dataclass
from ipaddress import ip_address
from pathlib import Path
from typing import Any
from urllib.parse import SplitResult, urlsplit

from clevrin.core.errors import ClevrinError
from clevrin.core.paths import is_file

_ENCRYPTED = ("tls", "wss")
_SCHEMES = ("tcp", "ws", *_ENCRYPTED)
ANSWERS_WITHIN_S = 5.0
_AT_MOST_S = 15.0
_LENGTH = struct.Struct("Q")
_LONGEST_GREETING = 1_000_000
"""Bytes: the first message of a scheduler has some hundred."""


@dataclass(frozen=True, kw_only=True)
class Certificates:
    """Three files (PEM): the authority that both sides trust, and the certificate and the key of this side."""

    ca: Path
    cert: Path
    key: Path


def check_address(address: str, certificates: Certificates | None) -> SplitResult:
    """The parts of an address. Raises `ClevrinError` where it is none, or does not go with the certificates."""
    try:
        found = urlsplit(address)
        named = found.scheme in _SCHEMES and bool(found.hostname) and bool(found.port)
    except ValueError:  # a port that is no number
        named = False
    if not named:
        raise ClevrinError(f"{address} is no address of a scheduler: it is written as tcp://HOST:8786.")
    if found.scheme in _ENCRYPTED and certificates is None:
        raise ClevrinError(f"{address} is kept by TLS: give --tls-ca, --tls-cert and --tls-key.")
    if found.scheme not in _ENCRYPTED and certificates is not None:
        raise ClevrinError(f"{address} is an open way: with certificates it is written as tls://HOST:8786.")
    for each in () if certificates is None else (certificates.ca, certificates.cert, certificates.key):
        if not is_file(each):
            raise ClevrinError(f"{each} is not there, or no file: it should be a certificate or its key.")
    return found


def warning(address: str) -> str | None:
    """What is to be said of a way that others can reach and that nothing keeps; None where there is no need."""
    found = check_address(address, None) if urlsplit(address).scheme not in _ENCRYPTED else None
    if found is None or _is_here(found.hostname or ""):
        return None
    return (
        f"The way to {found.hostname} is open: who reaches it can read what is sent, and run code on the workers. "
        "Keep it by TLS (tls://, with --tls-ca, --tls-cert and --tls-key), or on a network of your own."
    )


def _is_here(host: str) -> bool:
    """Whether a host is this machine, by its loopback."""
    if host == "localhost":
        return True
    try:
        return ip_address(host).is_loopback
    except ValueError:
        return False


def client_of(address: str, certificates: Certificates | None) -> Any:
    """A client of the scheduler at an address, within 15 s.

    Raises `ClevrinError` where nobody answers, what answers is no scheduler, or it cannot be trusted.
    """
    where = check_address(address, certificates)
    try:
        _knock(where, certificates)
        return _within(_AT_MOST_S, lambda: _client(address, certificates))
    except ssl.SSLError as error:
        raise ClevrinError(f"{address} is not trusted, or does not trust us: {error.reason or error}.") from error
    except Exception as error:  # what a stranger sends has many ways to be wrong
        raise ClevrinError(
            f"Nobody answers at {address}: start one with dask scheduler, and workers with dask worker."
        ) from error


def _client(address: str, certificates: Certificates | None) -> Any:
    from distributed import Client, Security  # take half a second, and nothing else needs them

    class Quiet(Client):
        """Does not wait ten seconds, and print a traceback, for one that never got through (distributed 2026.8)."""

        def __del__(self) -> None: ...

    logging.getLogger("distributed").setLevel(logging.CRITICAL)  # what is wrong is said here, in a sentence
    security = None
    if certificates is not None:
        security = Security(
            require_encryption=True,
            tls_ca_file=str(certificates.ca),
            tls_client_cert=str(certificates.cert),
            tls_client_key=str(certificates.key),
        )
    return Quiet(address, timeout=ANSWERS_WITHIN_S, set_as_default=False, security=security)


def _within(seconds: float, do: Any) -> Any:
    """What `do` gives, or its error; `TimeoutError` where it takes longer: then it ends by itself, some time."""
    found: list[Any] = []
    wrong: list[BaseException] = []

    def run() -> None:
        try:
            found.append(do())
        except BaseException as error:  # raised where it is waited for
            wrong.append(error)

    thread = threading.Thread(target=run, name="knocking", daemon=True)
    thread.start()
    thread.join(seconds)
    if wrong:
        raise wrong[0]
    if not found:
        raise TimeoutError
    return found[0]


def _knock(where: SplitResult, certificates: Certificates | None) -> None:
    """Raises `OSError` where nothing listens, or what listens is no scheduler, which greets first.

    The library tries again until its time is over, waits for ever, or makes room for whatever length it is told
    (distributed 2026.8).
    """
    until = time.monotonic() + ANSWERS_WITHIN_S
    with socket.create_connection((where.hostname or "", where.port or 0), ANSWERS_WITHIN_S) as plain:
        if where.scheme in ("ws", "wss"):
            return
        there: socket.socket = plain
        if certificates is not None:
            context = ssl.create_default_context(cafile=str(certificates.ca))
            context.check_hostname = False  # as the library: machines of one's own have no names that are certified
            context.load_cert_chain(certificates.cert, certificates.key)
            there = context.wrap_socket(plain)
        with there:
            (length,) = _LENGTH.unpack(_received(there, _LENGTH.size, until))
            if not 0 < length < _LONGEST_GREETING:
                raise ConnectionError
            frames = _received(there, length, until)[: _LENGTH.size]
            if len(frames) < _LENGTH.size or length < _LENGTH.size * (1 + _LENGTH.unpack(frames)[0]):
                raise ConnectionError  # it begins with how many parts it has, and how long they are


def _received(there: socket.socket, count: int, until: float) -> bytes:
    found = b""
    while len(found) < count:
        there.settimeout(max(0.01, until - time.monotonic()))
        more = there.recv(count - len(found))
        if not more or time.monotonic() > until:
            raise ConnectionError
        found += more
    return found
