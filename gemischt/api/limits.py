"""How much one request may bring."""

from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send


class LimitedBodies:
    """ASGI middleware: refuses bodies that are too large while they come. Uploads have a limit of their own."""

    def __init__(self, app: ASGIApp, most_bytes: int) -> None:
        self._app = app
        self._most_bytes = most_bytes

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        received = 0

        async def counted() -> Message:
            nonlocal received
            message = await receive()
            received += len(message.get("body", b""))
            if received > self._most_bytes:
                raise HTTPException(413, f"The request is larger than {self._most_bytes / 1024**2:.0f} MiB")
            return message

        limited = scope["type"] == "http" and not scope["path"].endswith("/audio")
        await self._app(scope, counted if limited else receive, send)
