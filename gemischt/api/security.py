"""Only pages of this server talk to it: Host and Origin are checked on every request."""

from urllib.parse import urlsplit

from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Receive, Scope, Send


class OnlyOwnPages:
    """ASGI middleware: refuses unknown Host names (DNS rebinding) and foreign Origins, WebSockets included."""

    def __init__(self, app: ASGIApp, allowed_hosts: frozenset[str]) -> None:
        self._app = app
        self._allowed = allowed_hosts

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket") or self._is_own(scope):
            await self._app(scope, receive, send)
        elif scope["type"] == "websocket":
            await receive()
            await send({"type": "websocket.close", "code": 1008, "reason": "not from this page"})
        else:
            refusal = JSONResponse(
                {
                    "what": "this server answers its own pages only",
                    "where": "Host or Origin",
                    "remedy": "",
                    "faults": [],
                },
                status_code=403,
            )
            await refusal(scope, receive, send)

    def _is_own(self, scope: Scope) -> bool:
        headers = {name.decode("latin-1"): value.decode("latin-1") for name, value in scope["headers"]}
        if host_name(headers.get("host", "")) not in self._allowed:
            return False
        origin = headers.get("origin")
        if origin is None:
            return True
        return bool(urlsplit(origin).netloc == headers.get("host"))


def host_name(host: str) -> str:
    """The host without its port.

    >>> host_name("127.0.0.1:8765"), host_name("[::1]:8765")
    ('127.0.0.1', '[::1]')
    """
    if host.startswith("["):
        return host.partition("]")[0] + "]"
    return host.partition(":")[0]
