"""Addresses that are never asked: link-local ones, where machines tell their own secrets to whoever asks."""

from __future__ import annotations

import ipaddress
import socket

from nomikon.models.errors import CallFailure

# Where hosters answer a machine's questions about itself, besides the link-local ones.
_OWN_AFFAIRS = {"fd00:ec2::254", "100.100.100.200"}


def is_forbidden(address: str) -> bool:
    """Whether a numeric address is never asked; False for what is a name.

    >>> is_forbidden("169.254.169.254"), is_forbidden("127.0.0.1")
    (True, False)
    """
    try:
        found = ipaddress.ip_address(address.strip("[]").partition("%")[0])
    except ValueError:
        return False
    mapped = getattr(found, "ipv4_mapped", None) or getattr(found, "sixtofour", None)
    return any(
        a.is_link_local or a.is_multicast or str(a) in _OWN_AFFAIRS
        for a in (found, mapped)
        if a is not None
    )


def check_host(host: str | None) -> None:
    """Raise CallFailure for a host whose own number is forbidden, however it is written."""
    told = (host or "").rstrip(".")
    forms = [told]
    try:
        # 2852039166 and 0xa9fea9fe are numbers, too.
        forms.append(socket.inet_ntoa(socket.inet_aton(told)))
    except OSError:
        forms.append(told)
    if any(is_forbidden(form) for form in forms):
        raise CallFailure("forbidden_address", told)
