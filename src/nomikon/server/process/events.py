"""Live events: one poller of the event table per web process, server-sent to every page."""

from __future__ import annotations

import asyncio
import json
import logging
from collections.abc import AsyncIterator
from typing import Any

from asgiref.sync import sync_to_async
from django.db import DatabaseError, close_old_connections
from django.db.models import Max, Min
from django.http import HttpRequest, StreamingHttpResponse

from nomikon.core.digits import whole_number
from nomikon.server.apps.ledger.models import Event

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
            except DatabaseError as error:
                # Nothing is lost by it: the next look begins where the last one ended.
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


@sync_to_async
def newest_id() -> int:
    """Id of the newest event, 0 before the first."""
    try:
        return Event.objects.aggregate(last=Max("id"))["last"] or 0
    finally:
        close_old_connections()


@sync_to_async
def oldest_id() -> int:
    """Id of the oldest event still kept, 0 when there is none."""
    try:
        return Event.objects.aggregate(first=Min("id"))["first"] or 0
    finally:
        close_old_connections()


@sync_to_async
def events_after(last: int, limit: int = CATCH_UP) -> list[dict[str, Any]]:
    """Events newer than an id, oldest first."""
    try:
        rows = Event.objects.filter(id__gt=last).order_by("id")
        return [dict(row) for row in rows.values("id", "topic", "kind", "payload")[:limit]]
    finally:
        close_old_connections()


HUB = Hub()


def frame(event: dict[str, Any]) -> str:
    """One event as server-sent text; its id is what a page resumes from."""
    data = {"topic": event["topic"], "kind": event["kind"], **event["payload"]}
    return f"id: {event['id']}\ndata: {json.dumps(data)}\n\n"


async def stream(request: HttpRequest) -> StreamingHttpResponse:
    """All events from the id a page last saw; without one, from now.

    A page that is behind what is kept, or too far behind, is told to take a
    fresh snapshot (`event: snapshot`) and goes on from now.
    """
    given = request.headers.get("Last-Event-ID") or request.GET.get("after") or ""
    seen = whole_number(given)
    response = StreamingHttpResponse(_frames(seen), content_type="text/event-stream")
    response["Cache-Control"] = "no-store"
    response["X-Accel-Buffering"] = "no"
    return response


async def _frames(seen: int | None) -> AsyncIterator[str]:
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
