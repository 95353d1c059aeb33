"""What every request passes: known host, same origin, capped size, a key if there is one, and headers that keep the page to
itself."""

from __future__ import annotations

import logging
import re
from collections.abc import Awaitable, Callable

from fastapi import FastAPI, Request, Response
from starlette.middleware.gzip import GZipMiddleware

from rhombos.api.lock import Lock
from rhombos.api.problem import problem

LARGEST_BODY = {"application/zip": 64_000_000, "text/csv": 4_000_000, "text/plain": 4_000_000}
LARGEST_OTHER = 256_000
"""The largest body that is taken, by its kind, bytes."""
HOST = re.compile(r"(127\.0\.0\.1|localhost|\[::1\])(:[0-9]{1,5})?", re.ASCII | re.IGNORECASE)
LENGTH = re.compile("[0-9]{1,12}", re.ASCII)
POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; "
    "font-src 'self'; connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
}


def _refused(request: Request) -> Response | None:
    """What a request is told that is not let through."""
    host, origin = request.headers.get("host", ""), request.headers.get("origin")
    length = request.headers.get("content-length", "0")
    if not HOST.fullmatch(host):
        return problem(400, "Unknown host", "this server answers to 127.0.0.1, localhost and [::1] only")
    if origin and origin not in (f"http://{host}", f"https://{host}"):
        return problem(403, "Foreign origin", "requests from other sites are refused")
    if request.method in ("POST", "PUT", "PATCH") and "content-length" not in request.headers:
        return problem(411, "Length required", "send the request with its length")
    kind = request.headers.get("content-type", "").partition(";")[0].strip().lower()
    most = LARGEST_BODY.get(kind, LARGEST_OTHER)
    if not LENGTH.fullmatch(length) or int(length) > most:
        return problem(413, "Too large", f"at most {most // 1000} kB are taken here; send less at a time")
    return None


def install(app: FastAPI, lock: Lock | None) -> None:
    """Put the guard around the application, and a lock where one is asked for."""
    app.add_middleware(GZipMiddleware, minimum_size=1024, compresslevel=1)

    @app.middleware("http")
    async def guard(request: Request, call_next: Callable[[Request], Awaitable[Response]]) -> Response:
        response = _refused(request) or (lock.refusal(request) if lock else None)
        if response is None:
            try:
                response = await call_next(request)
            except Exception:  # the last resort: nobody is shown a traceback
                logging.getLogger("rhombos").exception("%s %s", request.method, request.url.path)
                response = problem(500, "A fault of Rhombos", "this request met a fault of the program; its log says more")
        response.headers.update(HEADERS)
        return response
