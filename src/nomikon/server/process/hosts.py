"""Who can reach the page: this machine alone, unless it is opened on purpose."""

from __future__ import annotations

import ipaddress
import socket

OPEN = "NOMIKON_OPEN"


def is_loopback(host: str) -> bool:
    """Whether only this machine reaches it."""
    if host == "localhost":
        return True
    try:
        return ipaddress.ip_address(host.strip("[]")).is_loopback
    except ValueError:
        return False


def names_of(host: str) -> list[str]:
    """The names under which a host that is listened on may be asked; "all addresses" is no name.

    >>> names_of("127.0.0.1")
    []
    """
    if is_loopback(host):
        return []
    try:
        every = ipaddress.ip_address(host.strip("[]")).is_unspecified
    except ValueError:
        every = False
    own = [socket.gethostname()]
    return [*own, *_own_addresses()] if every else [host, *own]


def _own_addresses() -> list[str]:
    try:
        found = socket.getaddrinfo(socket.gethostname(), None)
    except OSError:
        return []
    return sorted({str(row[4][0]) for row in found})
