"""Every way a call can fail, by one name each.

CallFailure carries a `code` from FAILURES, whether trying again may help, the
seconds the server asked to wait, and the first 200 characters that came back.
"""

from __future__ import annotations

import json
import math
import re
from collections.abc import Callable
from typing import Any

from nomikon.core.digits import whole_number
from nomikon.models.types import Waste

FAILURES: dict[str, str] = {
    "unreachable": "the server could not be reached",
    "no_such_host": "there is no host of that name",
    "nothing_listens": "nothing listens at that address and port",
    "bad_certificate": "the server's certificate does not hold, so nothing was sent to it",
    "web_page": "a web page came back: this address is not where models are asked",
    "error_in_answer": "the server sent an error in place of an answer",
    "throttled": "the server asked to slow down (429)",
    "server_error": "the server answered with an error of its own (5xx)",
    "timeout": "no full answer within the time allowed",
    "dropped_stream": "the answer broke off before its end",
    "malformed": "what came back is not what the protocol says",
    "bad_key": "the server refused the key (401 or 403)",
    "no_key": "the environment variable named for the key is not set, or is not one for keys",
    "unknown_model": "the server does not know this model (404)",
    "context_too_long": "prompt and answer do not fit the model's context",
    "forbidden_address": "this address is link-local, where machines keep their own affairs: "
    "it is never asked",
    "unforeseen": "something went wrong that nobody had thought of",
    "refused": "the server refused the request (4xx)",
    "unsendable": "the prompt could not be filled from this case",
    "resting": "not asked, since the server did not answer before",
}
RETRIED = (
    "unreachable",
    "no_such_host",
    "nothing_listens",
    "throttled",
    "server_error",
    "error_in_answer",
    "timeout",
    "dropped_stream",
    "malformed",
    "web_page",
)
SHOWN = 200
# A server may ask for more patience than a person has; a lane is closed no longer than this.
LONGEST_RETRY_AFTER_S = 120.0


class CallFailure(Exception):
    """A call that ended without an answer."""

    def __init__(
        self,
        code: str,
        detail: str = "",
        *,
        retry_after_s: float | None = None,
        attempts: int = 1,
        waste: Waste | None = None,
    ) -> None:
        assert code in FAILURES, code
        super().__init__(f"{FAILURES[code]}: {detail[:SHOWN]}" if detail else FAILURES[code])
        self.code = code
        self.whole = detail
        self.detail = detail[:SHOWN]
        self.retry_after_s = retry_after_s
        self.attempts = attempts
        self.waste = waste or Waste()

    def blotted(self, blot: Callable[[str], str]) -> CallFailure:
        """The same failure, with a key that the server sent back taken out of its words."""
        detail = blot(self.whole)
        if detail == self.whole:
            return self
        return CallFailure(
            self.code,
            detail,
            retry_after_s=self.retry_after_s,
            attempts=self.attempts,
            waste=self.waste,
        )

    @property
    def may_retry(self) -> bool:
        """Whether the same request may succeed a moment later."""
        return self.code in RETRIED


def failure_of_status(status: int, body: str, retry_after: str | None) -> CallFailure:
    """The failure an HTTP status stands for."""
    if looks_like_page(body) and status not in (429, 502, 503, 504):
        return CallFailure("web_page", f"HTTP {status}")
    said = said_by_server(body)
    detail = f"HTTP {status}: {said}" if said else f"HTTP {status}"
    if status == 429:
        return CallFailure("throttled", detail, retry_after_s=_seconds(retry_after))
    if status in (401, 403):
        return CallFailure("bad_key", detail)
    if status == 404:
        return CallFailure("unknown_model", detail)
    if status == 408:
        return CallFailure("timeout", detail)
    if status >= 500:
        return CallFailure("server_error", detail, retry_after_s=_seconds(retry_after))
    if "context" in body.lower() and status in (400, 413, 422):
        return CallFailure("context_too_long", detail)
    return CallFailure("refused", detail)


def failure_of_error(error: Any) -> CallFailure:
    """The failure an error object stands for that came with status 200, in or out of a stream."""
    held = error if isinstance(error, dict) else {"message": error}
    text = str(held.get("message") or held.get("detail") or json.dumps(held)[:SHOWN])
    for key in ("code", "status", "status_code"):
        code = held.get(key)
        if isinstance(code, str):
            code = whole_number(code)
        if isinstance(code, int) and 400 <= code <= 599:
            return failure_of_status(code, text, None)
    kind = f"{held.get('type', '')} {held.get('code', '')}".lower()
    if "rate" in kind or "overload" in kind:
        return CallFailure("throttled", text)
    if "context" in text.lower() and re.search(r"length|long|exceed|maximum", text.lower()):
        return CallFailure("context_too_long", text)
    if "invalid" in kind:
        return CallFailure("refused", text)
    return CallFailure("error_in_answer", text)


def said_by_server(body: str) -> str:
    """What an error of a model server says, in one of the forms they have; "" for any other body.

    What answers in another form is some other service: what it holds is not for this program.
    """
    try:
        held = json.loads(body)
    except (ValueError, RecursionError):
        return ""
    if not isinstance(held, dict):
        return ""
    told = held.get("error", held.get("message", held.get("detail")))
    if isinstance(told, dict):
        words = [told.get(k) for k in ("message", "detail", "type", "code")]
        return " ".join(str(w) for w in words if isinstance(w, (str, int)))
    if isinstance(told, list):
        # One error a field, as validators of web frameworks tell it.
        words = [t.get("msg") for t in told if isinstance(t, dict)]
        return "; ".join(w for w in words if isinstance(w, str))
    return told.strip() if isinstance(told, str) else ""


def looks_like_page(body: str) -> bool:
    """Whether what came back is a page for people."""
    return (
        re.match(r"\s*(?:<!--.*?-->\s*)?<(?:!doctype html|html|head|body)\b", body, re.I | re.S)
        is not None
    )


def _seconds(header: str | None) -> float | None:
    """Retry-After in seconds, capped; its date form is left to the backoff."""
    try:
        value = float(header) if header else math.nan
    except ValueError:
        return None
    return None if math.isnan(value) else min(max(0.0, value), LONGEST_RETRY_AFTER_S)
