"""Long work told line by line: a thread does it, each line of JSON goes out as it is told."""

from __future__ import annotations

import asyncio
import json
import logging
import threading
from collections.abc import AsyncIterator, Callable
from typing import Any

from django.core.exceptions import TooManyFilesSent
from django.db import DatabaseError, close_old_connections
from django.http import JsonResponse, StreamingHttpResponse
from django.http.multipartparser import MultiPartParserError
from django.http.request import UnreadablePostError

from nomikon.core.errors import DomainError
from nomikon.server.problems import MEDIA_TYPE, exception_handler
from nomikon.server.refusals import UNKNOWN, refusal_of

log = logging.getLogger("nomikon.lines")
TYPE = "application/x-ndjson"
# Forms that break off or are none.
UNREADABLE = (MultiPartParserError, TooManyFilesSent, UnreadablePostError)
Tell = Callable[[dict[str, Any]], None]


class Left(threading.Event):
    """Set when nobody listens any more."""


def answer(lines: AsyncIterator[bytes]) -> StreamingHttpResponse:
    """A response of lines that nothing on the way holds back or keeps."""
    response = StreamingHttpResponse(lines, content_type=TYPE)
    response["Cache-Control"] = "no-store"
    response["X-Accel-Buffering"] = "no"
    return response


async def told(
    work: Callable[[Tell, Left], dict[str, Any]], end: Callable[[], None]
) -> AsyncIterator[bytes]:
    """What `work` tells in a thread, then {"done": what it returns} or {"refused": why not}.

    end: called from here when the listener leaves, or at the end; it makes the work stop.
    """
    loop = asyncio.get_running_loop()
    queue: asyncio.Queue[dict[str, Any] | None] = asyncio.Queue()
    left = Left()

    def tell(line: dict[str, Any] | None) -> None:
        if not left.is_set():
            loop.call_soon_threadsafe(queue.put_nowait, line)

    def run() -> None:
        try:
            tell({"done": work(tell, left)})
        except DomainError as error:
            tell({"refused": {"title": error.code, "detail": error.message, "field": error.field}})
        except Exception as error:  # noqa: BLE001
            tell({"refused": _unforeseen(error)})
        finally:
            tell(None)
            close_old_connections()

    worker = threading.Thread(target=run, name="lines", daemon=True)
    worker.start()
    try:
        while (line := await queue.get()) is not None:
            yield json.dumps(line, ensure_ascii=False).encode() + b"\n"
    finally:
        left.set()
        end()
        # What came with the request goes with it: the thread must be done with it first.
        await asyncio.shield(asyncio.to_thread(worker.join))


def _unforeseen(error: Exception) -> dict[str, Any]:
    refusal = refusal_of(error) if isinstance(error, DatabaseError) else UNKNOWN
    if refusal is not UNKNOWN:
        return {"title": refusal.code, "detail": refusal.words}
    log.error("work told line by line broke off", exc_info=error)
    return {"title": "unforeseen", "detail": "it broke off; nothing of it was kept"}


def refusal(error: Exception) -> JsonResponse:
    """The problem document of what stopped a stream before its first line; what is unknown is raised."""
    if isinstance(error, UNREADABLE):
        return problem(400, "parse_error", "the request is no form that can be read")
    # As every other view answers it.
    answered = exception_handler(error, {})
    if answered is None:
        raise error
    return JsonResponse(answered.data, status=answered.status_code, content_type=MEDIA_TYPE)


def problem(status: int, title: str, detail: str, field: str | None = None) -> JsonResponse:
    """A problem document of a view that is not REST framework's."""
    body = {"title": title, "status": status, "detail": detail, "field": field}
    return JsonResponse(body, status=status, content_type=MEDIA_TYPE)
