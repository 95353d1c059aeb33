"""What every request passes: known host, same origin, capped size, and headers that keep the page to itself."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from urllib.parse import urlsplit

from fastapi import FastAPI, Request, Response
from starlette.middleware.gzip import GZipMiddleware

from rhombos.api.problem import problem

LARGEST_BODY = 4 * 1024 * 1024
HOSTS = {"127.0.0.1", "localhost", "::1"}
POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; "
    "font-src 'self'; connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
HEADERS = {
    "Content-Security-Policy": POLICY, "X-Content-Type-Options": "nosniff", "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin",
}  # fmt: skip


def _host(value: str) -> str:
    return urlsplit(f"//{value}").hostname or ""


def install(app: FastAPI) -> None:
    """Put the guard around the application."""
    app.add_middleware(GZipMiddleware, minimum_size=1024, compresslevel=1)

    @app.middleware("http")
    async def guard(request: Request, call_next: Callable[[Request], Awaitable[Response]]) -> Response:
        host = _host(request.headers.get("host", ""))
        origin = request.headers.get("origin")
        length = request.headers.get("content-length", "0")
        if host not in HOSTS:
            return problem(400, "Unknown host", f"this server answers to {', '.join(sorted(HOSTS))} only")
        if origin and urlsplit(origin).netloc != request.headers.get("host"):
            return problem(403, "Foreign origin", "requests from other sites are refused")
        if request.method in ("POST", "PUT", "PATCH") and "content-length" not in request.headers:
            return problem(411, "Length required", "send the request with its length")
        if not length.isdigit() or int(length) > LARGEST_BODY:
            return problem(413, "Too large", f"at most {LARGEST_BODY // 1024 // 1024} MB; split the file")
        response = await call_next(request)
        response.headers.update(HEADERS)
        return response
