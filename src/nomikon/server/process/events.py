"""Live events: one poller of the event table per web process, server-sent to every page."""

from __future__ import annotations

import asyncio
import json
import logging
from collections.abc import AsyncGenerator, AsyncIterator, Callable, Coroutine
from concurrent.futures import ThreadPoolExecutor
from typing import Any, ParamSpec, TypeVar
from urllib.parse import parse_qs

from asgiref.sync import sync_to_async
from django.db import close_old_connections
from django.db.models import Max, Min

from nomikon.core.digits import whole_number
from nomikon.server.apps.ledger.models import Event

P = ParamSpec("P")
R = TypeVar("R")

log = logging.getLogger("nomikon.events")
POLL_S = 0.25
LONGEST_PAUSE_S = 5.0
PING_S = 15.0
# A page that reads slower than this many events behind is cut off; it resumes by id.
QUEUE = 500
CATCH_UP = 2_000


class Hub:
    """Reads new events once and hands them to every open stream of this process."""

    def __init__(self) -> None:
        self._streams: set[asyncio.Queue[dict[str, Any] | None]] = set()
        self._poller: asyncio.Task[None] | None = None
        self._last = 0

    async def join(self) -> tuple[asyncio.Queue[dict[str, Any] | None], int]:
        """A queue of events from now on, and the newest id before them."""
        if self._poller is None or self._poller.done():
            self._last = await newest_id()
            self._poller = asyncio.create_task(self._poll())
        queue: asyncio.Queue[dict[str, Any] | None] = asyncio.Queue(QUEUE)
        self._streams.add(queue)
        return queue, self._last

    def leave(self, queue: asyncio.Queue[dict[str, Any] | None]) -> None:
        """Stop handing events to a stream."""
        self._streams.discard(queue)

    async def _poll(self) -> None:
        pause = POLL_S
        while self._streams:
            await asyncio.sleep(pause)
            try:
                events = await events_after(self._last)
            except Exception as error:  # noqa: BLE001
                # Whatever it was, every page waits for the next look; that begins where this one did,
                # so nothing is lost.
                log.warning("events cannot be read just now: %s", error)
                pause = min(pause * 2, LONGEST_PAUSE_S)
                continue
            pause = POLL_S
            for event in events:
                self._last = event["id"]
                for queue in list(self._streams):
                    if queue.full():
                        # Empty it and say so: the stream ends, and the page asks again by id.
                        self.leave(queue)
                        while not queue.empty():
                            queue.get_nowait()
                        queue.put_nowait(None)
                    else:
                        queue.put_nowait(event)


# Streams wait in the event loop; what they ask of the database, these few threads ask for all.
_THREADS = ThreadPoolExecutor(2, thread_name_prefix="events")


def _asked(work: Callable[P, R]) -> Callable[P, Coroutine[Any, Any, R]]:
    def alone(*args: P.args, **kwargs: P.kwargs) -> R:
        try:
            return work(*args, **kwargs)
        finally:
            close_old_connections()

    return sync_to_async(alone, thread_sensitive=False, executor=_THREADS)


@_asked
def newest_id() -> int:
    """Id of the newest event, 0 before the first."""
    return Event.objects.aggregate(last=Max("id"))["last"] or 0


@_asked
def oldest_id() -> int:
    """Id of the oldest event still kept, 0 when there is none."""
    return Event.objects.aggregate(first=Min("id"))["first"] or 0


@_asked
def events_after(last: int, limit: int = CATCH_UP) -> list[dict[str, Any]]:
    """Events newer than an id, oldest first."""
    rows = Event.objects.filter(id__gt=last).order_by("id")
    return [dict(row) for row in rows.values("id", "topic", "kind", "payload")[:limit]]


HUB = Hub()


def frame(event: dict[str, Any]) -> str:
    """One event as server-sent text; its id is what a page resumes from."""
    data = {"topic": event["topic"], "kind": event["kind"], **event["payload"]}
    return f"id: {event['id']}\ndata: {json.dumps(data)}\n\n"


async def stream(scope: dict[str, Any], receive: Any, send: Any) -> None:
    """All events from the id a page last saw; without one, from now. An application of its own:
    Django would hold a thread for as long as a stream is open.

    A page that is behind what is kept, or too far behind, is told to take a
    fresh snapshot (`event: snapshot`) and goes on from now.
    """
    given = dict(scope["headers"]).get(b"last-event-id", b"").decode("latin-1")
    if not given:
        given = (parse_qs(scope["query_string"].decode("latin-1")).get("after") or [""])[0]
    frames = _frames(whole_number(given))
    telling = asyncio.create_task(_tell(frames, send))
    leaving = asyncio.create_task(_left(receive))
    try:
        await asyncio.wait((telling, leaving), return_when=asyncio.FIRST_COMPLETED)
    finally:
        for task in (telling, leaving):
            task.cancel()
        await asyncio.gather(telling, leaving, return_exceptions=True)
        await frames.aclose()


async def _left(receive: Any) -> None:
    while (await receive())["type"] != "http.disconnect":
        """The request's body, which is nothing."""


async def _tell(frames: AsyncIterator[str], send: Any) -> None:
    try:
        first = await anext(frames)
    except Exception as error:  # noqa: BLE001
        log.warning("a stream cannot begin just now: %s", error)
        await _send(send, 503, b"text/plain", b"events cannot be read just now", more=False)
        return
    await _send(send, 200, b"text/event-stream", first.encode(), more=True)
    async for frame_ in frames:
        body = {"type": "http.response.body", "body": frame_.encode(), "more_body": True}
        await send(body)
    await send({"type": "http.response.body", "body": b""})


async def _send(send: Any, status: int, kind: bytes, body: bytes, *, more: bool) -> None:
    headers = [
        (b"content-type", kind),
        (b"cache-control", b"no-store"),
        (b"x-accel-buffering", b"no"),
    ]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body, "more_body": more})


async def _frames(seen: int | None) -> AsyncGenerator[str, None]:
    queue, newest = await HUB.join()
    try:
        yield "retry: 1000\n\n"
        if seen is not None:
            missed = await events_after(seen)
            oldest = await oldest_id()
            pruned = seen + 1 < oldest
            if pruned or len(missed) >= CATCH_UP or seen > newest:
                yield f"id: {newest}\nevent: snapshot\ndata: {{}}\n\n"
            else:
                for event in missed:
                    newest = max(newest, event["id"])
                    yield frame(event)
        while True:
            told: dict[str, Any] | None
            try:
                told = await asyncio.wait_for(queue.get(), PING_S)
            except TimeoutError:
                yield ": still here\n\n"
                continue
            if told is None:
                return
            if told["id"] > newest:
                newest = told["id"]
                yield frame(told)
    finally:
        HUB.leave(queue)
