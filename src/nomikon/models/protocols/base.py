"""What a wire protocol is: where a call goes, what it says, how its answer is read."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from typing import Any, ClassVar, Protocol

from nomikon.core.prompts import Message
from nomikon.models.errors import CallFailure
from nomikon.models.types import OfferedModel, Usage


class Reader(Protocol):
    """Takes an answer in, line by line or in one piece."""

    parts: list[str]
    finish_reason: str | None
    usage: Usage
    identity: str
    done: bool

    @property
    def reasoning(self) -> str:
        """What came as reasoning, in a field of its own."""

    @property
    def refusal(self) -> str:
        """What came as a refusal, in a field of its own."""

    @property
    def tool_calls(self) -> tuple[tuple[str, str], ...]:
        """Tools it called: name and arguments as they came."""

    def feed(self, line: bytes) -> bool:
        """Take one line of a stream; True when it brought text."""

    def read_whole(self, document: Any) -> None:
        """Take a reply sent in one piece."""

    def check_complete(self) -> None:
        """Raise CallFailure unless the stream came to its end."""

    @property
    def text(self) -> str:
        """The answer so far."""


class WireProtocol(ABC):
    """One protocol. title, address: how a form names it and its base URL. completion: how a base URL
    ends that people leave out, "" for none. never_sent: settings that it has no word for.

    reads: how a program that is copied out takes the text of one `event` of a stream, a line or more
    of Python that adds it to `text`, indented as it stands there.
    """

    name: ClassVar[str]
    title: ClassVar[str]
    address: ClassVar[str]
    completion: ClassVar[str] = ""
    never_sent: ClassVar[tuple[str, ...]] = ()
    reads: ClassVar[str]

    @abstractmethod
    def body(
        self,
        model: str,
        messages: Sequence[Message],
        settings: Mapping[str, Any],
        *,
        seed: int | None,
        unsupported: Sequence[str] = (),
        output_limit: str = "max_tokens",
    ) -> dict[str, Any]:
        """The exact body of one call.

        settings: as `check_settings` gives them. seed: None where it is not sent. unsupported:
        parameters that are left out. output_limit: what the server calls the limit of an answer.
        """

    @abstractmethod
    def url(self, base_url: str, model: str) -> str:
        """The address of a call."""

    @abstractmethod
    def reader(self) -> Reader:
        """A fresh reader for one answer."""

    @abstractmethod
    def texts(self, body: Mapping[str, Any]) -> list[str] | None:
        """The texts of a request body, for counting their tokens; None for a body of another kind."""

    @abstractmethod
    def list_request(self, base_url: str) -> tuple[str, str]:
        """Method and address that ask a server which models it has."""

    @abstractmethod
    def read_list(self, document: Any) -> list[OfferedModel]:
        """The models in a server's list. Raises CallFailure (malformed)."""


def models_in(document: Any, rows: Any, name: str) -> list[OfferedModel]:
    """Rows of a list as models; `name` is the key that names each. Raises CallFailure (malformed)."""
    if not isinstance(rows, list):
        raise CallFailure("malformed", f"no list of models in it: {str(document)[:200]}")
    found: dict[str, OfferedModel] = {}
    for row in rows:
        if not isinstance(row, dict) or not isinstance(row.get(name), str) or not row[name]:
            raise CallFailure("malformed", f"an entry without {name}: {str(row)[:200]}")
        length = next((row[k] for k in _LENGTHS if _is_length(row.get(k))), None)
        found.setdefault(row[name], OfferedModel(row[name], length, row.get("simulated") is True))
    return list(found.values())


# Servers that say how long a model's context is use one of these words.
_LENGTHS = ("context_length", "max_model_len", "context_window", "n_ctx")


def _is_length(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and value > 0
