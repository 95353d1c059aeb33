"""An access key for machines that others use too: asked for once, then kept by the browser as a cookie."""

from __future__ import annotations

import hmac
from html import escape
from urllib.parse import parse_qs

from fastapi import FastAPI, Request, Response
from fastapi.responses import HTMLResponse, RedirectResponse

from rhombos.api.problem import problem

COOKIE = "rhombos_key"
MONTH = 30 * 24 * 3600
"""How long a browser keeps the cookie, s."""
PAGE = """<!doctype html>
<html lang="en">
<meta charset="utf-8">
<meta name="viewport" content="width=device-width">
<title>Rhombos: access key</title>
<style>
:root {{ color-scheme: light dark; font: 16px/1.5 system-ui, sans-serif; --copper: light-dark(#9c4e19, #e39a62) }}
body {{ max-width: 26rem; margin: 18vh auto; padding: 0 1rem; background: light-dark(#f6f3ec, #191c1f) }}
body {{ color: light-dark(#23282d, #ebe6db) }}
h1 {{ font-size: 1.25rem; font-weight: 700; margin: 1rem 0 0 }}
label {{ display: block; margin: 1.25rem 0 .25rem; font-weight: 600 }}
input, button {{ font: inherit; padding: .5rem .75rem; border: 1px solid light-dark(#596068, #a9adb0); border-radius: 3px }}
input {{ width: 100%; box-sizing: border-box; font-family: ui-monospace, monospace; background: light-dark(#fff, #212529) }}
button {{ margin-top: .75rem; font-weight: 600; border: 0; background: var(--copper); color: light-dark(#fff, #191c1f) }}
p {{ margin: .25rem 0 }}
#told {{ color: light-dark(#9c2731, #f2919a) }}
</style>
<svg width="40" height="40" viewBox="0 0 32 32" aria-hidden="true">
<path d="M16 2 30 16 16 30 2 16Z" fill="none" stroke="var(--copper)" stroke-width="2.6"/>
<path d="M9 16c2-5 5-5 7 0s5 5 7 0" fill="none" stroke="currentColor" stroke-width="2.4" stroke-linecap="round"/>
</svg>
<h1>Rhombos asks for its access key</h1>
<p>It was started with <code>--key</code>; the key stands in the terminal, where the address is.</p>
<form method="post" action="/key">
<input type="hidden" name="to" value="{to}">
<label for="key">Access key</label>
<input id="key" name="key" type="password" autocomplete="current-password" maxlength="100" required autofocus
 aria-describedby="told">
<p id="told" role="alert">{told}</p>
<button>Open</button>
</form>
</html>"""


class Lock:
    """What lets a request in: a cookie that only who knew the key was given."""

    def __init__(self, key: str) -> None:
        self._key = key.encode()
        self._token = hmac.new(self._key, b"rhombos", "sha256").hexdigest()

    def opens_for(self, request: Request) -> bool:
        """Whether a request brings the cookie."""
        return hmac.compare_digest(request.cookies.get(COOKIE, "").encode(), self._token.encode())

    def fits(self, key: str) -> bool:
        """Whether a key is the one."""
        return hmac.compare_digest(key.strip().encode("utf-8", "replace"), self._key)

    def refusal(self, request: Request) -> Response | None:
        """What a request is told that brings no cookie; None where it may pass."""
        path = request.url.path
        if path in ("/key", "/api/health") or self.opens_for(request):
            return None
        if path.startswith(("/api/", "/assets/")):
            return problem(401, "Locked", "this Rhombos asks for an access key; open it in the browser and give the key")
        return _page(f"{path}?{request.url.query}" if request.url.query else path, "")

    def admit(self, to: str) -> Response:
        """On to the page that was asked for, with the cookie."""
        answer = RedirectResponse(to if to.startswith("/") and not to.startswith(("//", "/\\")) else "/", 303)
        answer.set_cookie(COOKIE, self._token, max_age=MONTH, path="/", httponly=True, samesite="strict")
        return answer


def _page(to: str, told: str) -> HTMLResponse:
    return HTMLResponse(PAGE.format(to=escape(to), told=escape(told)), 401, {"Cache-Control": "no-store"})


def install(app: FastAPI, key: str) -> Lock:
    """The page that asks for a key. Returns: the lock that it opens."""
    lock = Lock(key)

    @app.get("/key", include_in_schema=False)
    def asked() -> Response:
        return _page("/", "")

    @app.post("/key", include_in_schema=False)
    async def given(request: Request) -> Response:
        form = parse_qs((await request.body()).decode("utf-8", "replace"))
        to = form.get("to", ["/"])[0]
        if lock.fits(form.get("key", [""])[0]):
            return lock.admit(to)
        return _page(to, "That is not the key. It is 32 digits and letters from a to f.")

    return lock
