"""Keys of connections: by environment variable, or encrypted by a key file beside the data.

The file is no part of the database: a copy of the database alone opens no key.
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken
from django.conf import settings

from nomikon.server.apps.connections.models import Connection

_STORED = "stored key of connection "
KEY_PREFIX = "NOMIKON_KEY_"
# What serve --key-env names, commas between.
ALLOWED = "NOMIKON_KEY_ENV"
# Of our own prefix, but no key of a connection.
_OWN = {ALLOWED, "NOMIKON_KEY_FILE"}


def may_hold_key(name: str, environment: Mapping[str, str]) -> bool:
    """Whether a variable is meant for connections: no page can have another one sent anywhere."""
    if name in _OWN:
        return False
    return name.startswith(KEY_PREFIX) or name in environment.get(ALLOWED, "").split(",")


def key_name(connection: Connection) -> str | None:
    """The name under which the models layer asks for a connection's key."""
    if connection.key_cipher:
        return f"{_STORED}{connection.pk}"
    return connection.key_env or None


def encrypt(key: str) -> str:
    """A key as it is stored."""
    return _fernet().encrypt(key.encode("utf-8")).decode("ascii")


def _fernet() -> Fernet:
    """The installation's own cipher; its key is made once, readable by its owner only."""
    path = Path(settings.KEY_FILE)
    path.parent.mkdir(parents=True, exist_ok=True)
    try:
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        return Fernet(path.read_bytes().strip())
    with os.fdopen(handle, "wb") as file:
        file.write(key := Fernet.generate_key())
    return Fernet(key)


class Keyring(Mapping[str, str]):
    """Keys by name. Stored ones are read when `refresh` is called, never in between."""

    def __init__(self, environment: Mapping[str, str]) -> None:
        self._environment = environment
        self._stored: dict[str, str] = {}

    def refresh(self) -> None:
        """Read the stored keys anew. One that its key file does not open counts as not set."""
        found = {}
        for connection in Connection.objects.exclude(key_cipher=""):
            try:
                plain = _fernet().decrypt(connection.key_cipher.encode("ascii"))
            except (InvalidToken, ValueError):
                continue
            found[f"{_STORED}{connection.pk}"] = plain.decode("utf-8")
        self._stored = found

    def __getitem__(self, name: str) -> str:
        if name.startswith(_STORED):
            return self._stored[name]
        if not may_hold_key(name, self._environment):
            raise KeyError(name)
        return self._environment[name]

    def __iter__(self) -> Iterator[str]:
        yield from self._stored
        yield from (n for n in self._environment if may_hold_key(n, self._environment))

    def __len__(self) -> int:
        return sum(1 for _ in self)
