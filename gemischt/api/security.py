"""Who may talk to this server, and what its pages may do."""

import secrets
from http.cookies import CookieError, SimpleCookie
from urllib.parse import parse_qs, urlsplit

from starlette.datastructures import MutableHeaders
from starlette.responses import RedirectResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from gemischt.api.errors import error_response

TOKEN_COOKIE = "gemischt-token"
# Chakra writes its styles into the page; the rest comes from this server alone.
_POLICY = "; ".join(
    (
        "default-src 'self'",
        "script-src 'self'",
        "style-src 'self' 'unsafe-inline'",
        "img-src 'self' data:",
        "font-src 'self' data:",
        "connect-src 'self'",
        "object-src 'none'",
        "base-uri 'none'",
        "form-action 'self'",
        "frame-ancestors 'none'",
    )
)
SAFE_HEADERS = {
    "Content-Security-Policy": _POLICY,
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "no-referrer",
}


class SafeHeaders:
    """ASGI middleware: tells browsers to run nothing but what this server sent, in no frame of others."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                MutableHeaders(scope=message).update(SAFE_HEADERS)
            await send(message)

        await self._app(scope, receive, with_headers if scope["type"] == "http" else send)


class OnlyOwnPages:
    """ASGI middleware: refuses unknown Host names (DNS rebinding) and foreign Origins, WebSockets included."""

    def __init__(self, app: ASGIApp, allowed_hosts: frozenset[str]) -> None:
        self._app = app
        self._allowed = allowed_hosts

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket") or self._is_own(scope):
            await self._app(scope, receive, send)
        else:
            refusal = ("this server answers its own pages only", "Host or Origin", "Open its own address.")
            await _refuse(403, refusal, scope, receive, send)

    def _is_own(self, scope: Scope) -> bool:
        headers = _headers_of(scope)
        if host_name(headers.get("host", "")) not in self._allowed:
            return False
        origin = headers.get("origin")
        return origin is None or _place_of(origin) == headers.get("host")


class NeedsToken:
    """ASGI middleware: answers only who has the token, in a cookie, a header, or for the first time in the address."""

    def __init__(self, app: ASGIApp, token: str) -> None:
        self._app = app
        self._token = token

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket") or self._is_known(scope):
            await self._app(scope, receive, send)
        elif scope["type"] == "http" and self._is_token(*_given_in_address(scope)):
            welcome = RedirectResponse(scope["path"], status_code=303)
            welcome.set_cookie(TOKEN_COOKIE, self._token, httponly=True, samesite="strict")
            await welcome(scope, receive, send)
        else:
            refusal = ("this server asks for its token", "token", "Open the address that was printed at its start.")
            await _refuse(401, refusal, scope, receive, send)

    def _is_known(self, scope: Scope) -> bool:
        headers = _headers_of(scope)
        try:
            cookie = SimpleCookie(headers.get("cookie", "")).get(TOKEN_COOKIE)
        except CookieError:
            cookie = None
        bearer = headers.get("authorization", "").removeprefix("Bearer ")
        return self._is_token(bearer) or (cookie is not None and self._is_token(cookie.value))

    def _is_token(self, *given: str) -> bool:
        return any(secrets.compare_digest(item.encode(), self._token.encode()) for item in given)


def _given_in_address(scope: Scope) -> list[str]:
    return parse_qs(scope["query_string"].decode("latin-1")).get("token", [])


async def _refuse(status: int, refusal: tuple[str, str, str], scope: Scope, receive: Receive, send: Send) -> None:
    if scope["type"] == "websocket":
        await receive()
        await send({"type": "websocket.close", "code": 1008, "reason": refusal[0]})
    else:
        await error_response(status, *refusal)(scope, receive, send)


def _headers_of(scope: Scope) -> dict[str, str]:
    return {name.decode("latin-1"): value.decode("latin-1") for name, value in scope["headers"]}


def _place_of(origin: str) -> str | None:
    """Host and port of an origin; None for one that is no address."""
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return None


def host_name(host: str) -> str:
    """The host without its port.

    >>> host_name("127.0.0.1:8765"), host_name("[::1]:8765")
    ('127.0.0.1', '[::1]')
    """
    if host.startswith("["):
        return host.partition("]")[0] + "]"
    return host.partition(":")[0]
