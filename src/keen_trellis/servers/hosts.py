"""Whether two names are of one machine: a source is never written to, however it is called."""

from __future__ import annotations

import ipaddress
import socket

_HERE = "localhost"


def called(host: str) -> str:
    """Return the one name of a host, as far as it can be told without asking the network.

    This machine is called localhost: by that name, its own, a loopback address or a socket's path.

    >>> called("127.0.0.1"), called("Pier.Example."), called("/var/run/postgresql")
    ('localhost', 'pier.example', 'localhost')
    """
    plain = host.strip().strip("[]").rstrip(".").lower()
    own = {"", _HERE, "localhost.localdomain", socket.gethostname().lower()}
    if plain in own or plain.startswith("/") or _is_loopback(plain):
        return _HERE
    return plain


def is_called_alike(first: str, second: str) -> bool:
    """Whether two names are of one machine, as far as the names alone tell."""
    return called(first) == called(second)


def is_one_machine(first: str, second: str) -> bool:
    """Whether two hosts are one; the network is asked for their addresses.

    A name that has none now is only like itself.
    """
    if is_called_alike(first, second):
        return True
    return not _addresses(first).isdisjoint(_addresses(second))


def _addresses(host: str) -> set[str]:
    """Return the addresses of a host; those of this machine's own are all localhost."""
    plain = called(host)
    if plain == _HERE:
        return {_HERE}
    try:
        found = {str(one[4][0]) for one in socket.getaddrinfo(plain, None)}
    except (OSError, UnicodeError):
        return {plain}
    return {_HERE if _is_own(address) else address for address in found}


def _is_own(address: str) -> bool:
    """Whether an address is one of this machine: only at these can one listen."""
    family = socket.AF_INET6 if ":" in address else socket.AF_INET
    try:
        with socket.socket(family, socket.SOCK_DGRAM) as tried:
            tried.bind((address, 0))
    except OSError:
        return False
    return True


def _is_loopback(plain: str) -> bool:
    try:
        address = ipaddress.ip_address(plain)
    except ValueError:
        return False
    return address.is_loopback or address.is_unspecified
