"""Add or change a connection."""

from __future__ import annotations

import os
import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any
from urllib.parse import urlsplit

from django.db import transaction

from nomikon.core.errors import DomainError
from nomikon.models.addresses import check_host
from nomikon.models.errors import CallFailure
from nomikon.models.extras import check_body_fields, check_headers
from nomikon.models.protocols import PROTOCOLS
from nomikon.models.types import OUTPUT_LIMIT
from nomikon.server.apps.connections.keys import KEY_PREFIX, encrypt, may_hold_key
from nomikon.server.apps.connections.models import Connection
from nomikon.server.apps.ledger.write import write_ledger

_VARIABLE = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")
# What decides the answers; a change of any of these is a new revision.
_DECIDING = ("protocol", "base_url", "key_env", "key_cipher", "headers")
HIGHEST_LIMIT = 100_000_000
# What one answer may be made to take; it is held in memory.
LARGEST_ANSWER_MB = 256
_KEY = re.compile(r"[\x21-\x7e]{1,4000}")


class BadConnectionError(DomainError):
    """A connection's fields are not usable."""

    code = "connection_invalid"


def _origin(url: str) -> tuple[str, str | None, int | None]:
    """Scheme, host and port: where a key is sent."""
    parts = urlsplit(url)
    return parts.scheme, parts.hostname, parts.port or {"http": 80, "https": 443}.get(parts.scheme)


@dataclass
class SaveConnection:
    """connection: the one to change, or None for a new one.

    key: to be kept encrypted; None leaves what is kept, "" forgets it.
    """

    connection: Connection | None
    name: str
    protocol: str
    base_url: str
    key_env: str
    concurrency: int | None
    call_timeout_s: float
    stall_timeout_s: float
    actor: str
    now: datetime
    simulated: bool = False
    key: str | None = None
    requests_per_minute: int | None = None
    tokens_per_minute: int | None = None
    headers: Mapping[str, str] = field(default_factory=dict)
    body_fields: Mapping[str, Any] = field(default_factory=dict)
    output_limit: str = OUTPUT_LIMIT
    most_answer_mb: int | None = None
    # The variable's key goes to the new address, too.
    key_again: bool = False

    def check(self) -> None:
        if not self.name.strip():
            raise BadConnectionError("a connection needs a name", field="name")
        others = Connection.objects.filter(name=self.name.strip())
        if self.connection is not None:
            others = others.exclude(pk=self.connection.pk)
        if others.exists():
            raise BadConnectionError(f"there is a connection {self.name!r} already", field="name")
        if self.protocol not in PROTOCOLS:
            raise BadConnectionError(
                f"protocol is {self.protocol!r}; allowed are {', '.join(PROTOCOLS)}",
                field="protocol",
            )
        try:
            parts = urlsplit(self.base_url)
            usable = parts.scheme in ("http", "https") and parts.hostname and parts.port != 0
        except ValueError:
            usable = False
        if not usable:
            raise BadConnectionError(
                f"the base URL {self.base_url[:200]!r} must begin with http:// or https:// and "
                "name a host",
                field="base_url",
            )
        if parts.username or parts.password:
            raise BadConnectionError(
                "a base URL holds no user name or password; name a variable for the key",
                field="base_url",
            )
        self._check_variable()
        try:
            check_host(parts.hostname)
        except CallFailure as failure:
            raise BadConnectionError(str(failure), field="base_url") from failure
        self._check_extras()
        if self.concurrency is not None and not 1 <= self.concurrency <= 1000:
            raise BadConnectionError(
                f"concurrency is {self.concurrency}; allowed is 1 to 1000", field="concurrency"
            )
        if self.key and not _KEY.fullmatch(self.key):
            raise BadConnectionError(
                "a key is one word of printable characters, without blanks", field="key"
            )
        if self.key and self.key_env:
            raise BadConnectionError(
                "give a key, or the variable that holds one, not both", field="key"
            )
        if self._sends_kept_key_elsewhere():
            raise BadConnectionError(
                "the key that is kept was given for another address: enter it again", field="key"
            )
        for name in ("requests_per_minute", "tokens_per_minute"):
            check_limit(name, getattr(self, name))
        for name in ("call_timeout_s", "stall_timeout_s"):
            if not 0 < getattr(self, name) <= 3600:
                raise BadConnectionError(
                    f"{name} is {getattr(self, name):g}; allowed is above 0 to 3600 seconds",
                    field=name,
                )

    def _check_variable(self) -> None:
        """Only what is meant for keys, and only where it was meant to go."""
        if self.key_env and not _VARIABLE.fullmatch(self.key_env):
            raise BadConnectionError(
                "the key is given by the name of an environment variable, such as NOMIKON_KEY_MODELS",
                field="key_env",
            )
        if self.key_env and not may_hold_key(self.key_env, os.environ):
            raise BadConnectionError(
                f"{self.key_env} cannot be used: only variables named {KEY_PREFIX}…, or named to "
                "serve --key-env, hold keys for connections",
                field="key_env",
            )
        if self._sends_variable_elsewhere() and not self.key_again:
            raise BadConnectionError(
                f"the address is another one: say that the key of {self.key_env} goes there, too",
                field="key_again",
            )

    def _check_extras(self) -> None:
        check_headers(self.headers)
        check_body_fields(self.body_fields)
        if self.most_answer_mb is not None and not 1 <= self.most_answer_mb <= LARGEST_ANSWER_MB:
            raise BadConnectionError(
                f"an answer may be 1 to {LARGEST_ANSWER_MB} MB, not {self.most_answer_mb}",
                field="most_answer_mb",
            )
        if not _VARIABLE.fullmatch(self.output_limit):
            raise BadConnectionError(
                "the name of the output limit is one word, such as max_tokens",
                field="output_limit",
            )

    def _moves(self) -> bool:
        """Whether scheme, host or port become others."""
        return self.connection is not None and _origin(self.base_url) != _origin(
            self.connection.base_url
        )

    def _sends_variable_elsewhere(self) -> bool:
        """A variable's value was meant for the address that it was named for."""
        return bool(
            self._moves()
            and self.key_env
            and self.key_env == getattr(self.connection, "key_env", "")
        )

    def _sends_kept_key_elsewhere(self) -> bool:
        """A kept key goes to the host that it was given for and to no other."""
        return bool(
            self.connection is not None
            and self.connection.key_cipher
            and self.key is None
            and not self.key_env
            and self._moves()
        )

    @transaction.atomic
    def execute(self) -> Connection:
        self.check()
        values = {
            "name": self.name.strip(),
            "protocol": self.protocol,
            "base_url": self.base_url.strip(),
            "key_env": self.key_env,
            "concurrency": self.concurrency,
            "call_timeout_s": self.call_timeout_s,
            "stall_timeout_s": self.stall_timeout_s,
            "simulated": self.simulated,
            "requests_per_minute": self.requests_per_minute,
            "tokens_per_minute": self.tokens_per_minute,
            "headers": dict(self.headers),
            "body_fields": dict(self.body_fields),
            "output_limit": self.output_limit,
            "most_answer_mb": self.most_answer_mb,
        }
        if self.key is not None or self.key_env:
            values["key_cipher"] = encrypt(self.key) if self.key else ""
        what = "connection.changed"
        connection = self.connection
        if connection is None:
            what = "connection.added"
            connection = Connection(created_at=self.now, **values)
        else:
            if any(
                getattr(connection, n) != values.get(n, getattr(connection, n)) for n in _DECIDING
            ):
                connection.revision += 1
            if connection.base_url != values["base_url"]:
                # Another server: what the former one bore says nothing.
                connection.models.update(borne=None)
            for name, value in values.items():
                setattr(connection, name, value)
        connection.save()
        write_ledger(
            what,
            connection,
            actor=self.actor,
            now=self.now,
            facts={"name": connection.name, "revision": connection.revision},
        )
        return connection


def check_limit(name: str, value: int | None) -> None:
    """Refuse a limit that lets nothing through; None is no limit."""
    if value is not None and not 1 <= value <= HIGHEST_LIMIT:
        raise BadConnectionError(
            f"{name.replace('_', ' ')} is {value}; allowed is 1 to {HIGHEST_LIMIT:,}, or nothing "
            "for no limit",
            field=name,
        )
