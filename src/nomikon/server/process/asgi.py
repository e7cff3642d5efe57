"""The ASGI application: the built page from memory, the API from Django, headers on both."""

from __future__ import annotations

import asyncio
import gc
import json
import mimetypes
import os
from pathlib import Path
from typing import Any

import django

from nomikon.lifeline import hold_to_parent

# What is loaded once stays: looking through it for garbage costs a fifth of the start.
gc.disable()
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "nomikon.server.settings")
django.setup()
hold_to_parent()

from django.conf import settings  # noqa: E402
from django.core.handlers.asgi import ASGIHandler  # noqa: E402
from django.http.request import split_domain_port, validate_host  # noqa: E402

# Read every view before the port opens, so that the first click does not wait for it.
import nomikon.server.urls  # noqa: E402, F401
from nomikon.server.process.events import stream  # noqa: E402

gc.freeze()
gc.enable()

# No inline script anywhere. Inline style is allowed: overlays set their place with it.
CONTENT_SECURITY_POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; font-src 'self'; "
    "img-src 'self' data:; connect-src 'self'; base-uri 'none'; form-action 'self'; "
    "frame-ancestors 'none'"
)
HEADERS = [
    (b"content-security-policy", CONTENT_SECURITY_POLICY.encode()),
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"same-origin"),
    (b"cross-origin-opener-policy", b"same-origin"),
]
# Requests worked on at a time: each has a thread and a connection to the database with its memory.
# What is told line by line lasts as long as its work does, and is not counted.
AT_ONCE = 64
LASTING = ("/try/", "/import/", "/preview/")
# The files that the build names by their content may be kept for good.
FOREVER = b"public, max-age=31536000, immutable"


class Page:
    """The built front end, read once at start."""

    def __init__(self, dist: Path) -> None:
        self.files: dict[str, tuple[bytes, bytes, bytes]] = {}
        self.index = b"<!doctype html><title>Nomikon</title><p>The page is not built: make build"
        for path in sorted(dist.rglob("*")) if dist.is_dir() else []:
            if path.is_file():
                kind = mimetypes.guess_type(path.name)[0] or "application/octet-stream"
                if kind.startswith("text/") or kind.endswith("javascript"):
                    kind += "; charset=utf-8"
                name = "/" + path.relative_to(dist).as_posix()
                keep = FOREVER if name.startswith("/assets/") else b"no-cache"
                self.files[name] = (path.read_bytes(), kind.encode(), keep)
        if "/index.html" in self.files:
            self.index = self.files["/index.html"][0]

    def find(self, path: str) -> tuple[int, bytes, bytes, bytes]:
        """Status, body, type and caching of an address; unknown ones get the page itself."""
        if path in self.files and path != "/index.html":
            return (200, *self.files[path])
        if path.startswith("/assets/"):
            return 404, b"not found", b"text/plain", b"no-store"
        return 200, self.index, b"text/html; charset=utf-8", b"no-cache"


class Application:
    """Checks the Host header, then serves the page or hands the request to Django."""

    def __init__(self, page: Page, api: Any) -> None:
        self._page = page
        self._api = api
        self._places = asyncio.Semaphore(AT_ONCE)

    async def __call__(self, scope: dict[str, Any], receive: Any, send: Any) -> None:
        if scope["type"] != "http":
            return
        if not host_allowed(scope):
            await _answer(send, 400, b"this host name is not served here", b"text/plain")
            return

        async def send_with_headers(message: dict[str, Any]) -> None:
            if message["type"] == "http.response.start":
                have = {name.lower() for name, _ in message["headers"]}
                message["headers"] = [
                    *message["headers"],
                    *[h for h in HEADERS if h[0] not in have],
                ]
            await send(message)

        path = scope["path"]
        if path == "/api/events/" and scope["method"] == "GET":
            await stream(scope, receive, send_with_headers)
            return
        if path.startswith("/api/") or path == "/api":
            if path.endswith(LASTING):
                await _in_bounds(self._api, scope, receive, send_with_headers)
                return
            async with self._places:
                await _in_bounds(self._api, scope, receive, send_with_headers)
            return
        if scope["method"] not in ("GET", "HEAD"):
            await _answer(send_with_headers, 405, b"only GET is served here", b"text/plain")
            return
        status, body, kind, keep = self._page.find(path)
        await _answer(
            send_with_headers, status, b"" if scope["method"] == "HEAD" else body, kind, keep
        )


async def _in_bounds(api: Any, scope: dict[str, Any], receive: Any, send: Any) -> None:
    """Hand a request on, unless more of it comes than the server takes: nothing else counts it."""
    told = dict(scope["headers"])
    is_form = told.get(b"content-type", b"").startswith(b"multipart/")
    most = settings.MAX_UPLOAD if is_form else settings.DATA_UPLOAD_MAX_MEMORY_SIZE
    come, began = 0, False

    async def counted() -> Any:
        nonlocal come
        message = await receive()
        come += len(message.get("body", b""))
        # To whoever reads the body it is as if the sender had left.
        return {"type": "http.disconnect"} if come > most else message

    async def noted(message: dict[str, Any]) -> None:
        nonlocal began
        began = True
        await send(message)

    length = told.get(b"content-length", b"0")
    if not length.isdigit() or len(length) > 18 or int(length) <= most:
        await api(scope, counted, noted)
        if come <= most:
            return
    if not began:
        words = f"the request is larger than the server takes: at most {most // 2**20} MB"
        problem = {"title": "too_large", "status": 413, "detail": words, "field": None}
        await _answer(send, 413, json.dumps(problem).encode(), b"application/problem+json")


def host_allowed(scope: dict[str, Any]) -> bool:
    """Whether the Host header names this installation: a page elsewhere cannot reach it by name."""
    host = next((v.decode("latin-1") for n, v in scope["headers"] if n == b"host"), "")
    domain, _ = split_domain_port(host)
    return bool(domain) and validate_host(domain, settings.ALLOWED_HOSTS)


async def _answer(
    send: Any, status: int, body: bytes, kind: bytes, keep: bytes = b"no-store"
) -> None:
    await send(
        {
            "type": "http.response.start",
            "status": status,
            "headers": [
                (b"content-type", kind),
                (b"content-length", str(len(body)).encode()),
                (b"cache-control", keep),
            ],
        }
    )
    await send({"type": "http.response.body", "body": body})


application = Application(Page(Path(settings.WEB_DIST)), ASGIHandler())
