"""Names of servers resolved, with a look at where they lead."""

from __future__ import annotations

import socket
from typing import Any

from aiohttp import abc
from aiohttp.resolver import ThreadedResolver

from nomikon.models.addresses import is_forbidden
from nomikon.models.errors import CallFailure


class CheckedResolver(abc.AbstractResolver):
    """Names resolved as ever; a name that leads to a forbidden address leads nowhere."""

    def __init__(self) -> None:
        self._inner = ThreadedResolver()

    async def resolve(
        self, host: str, port: int = 0, family: socket.AddressFamily = socket.AF_INET
    ) -> list[Any]:
        """The addresses of a name. Raises CallFailure where one is forbidden."""
        found = await self._inner.resolve(host, port, family)
        if any(is_forbidden(str(row["host"])) for row in found):
            raise CallFailure("forbidden_address", host)
        return list(found)

    async def close(self) -> None:
        """Nothing is held."""
        await self._inner.close()
