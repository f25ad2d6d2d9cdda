"""The live connection."""

import asyncio
import contextlib
import json

from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import ValidationError
from starlette.concurrency import run_in_threadpool

from gemischt.api.dependencies import HubDep
from gemischt.api.errors import unforeseen
from gemischt.core.errors import GemischtError, InvalidAction
from gemischt.live.hub import Listener

router = APIRouter()


@router.websocket("/api/sessions/{session_id}/live")
async def live(socket: WebSocket, session_id: str, hub: HubDep) -> None:
    """Sound and meters out, wishes in, until either side leaves."""
    await socket.accept()
    listener = Listener(asyncio.get_running_loop())
    try:
        room = await run_in_threadpool(hub.enter, session_id, listener)
    except GemischtError as error:
        await socket.send_text(_error_message(error))
        await socket.close(code=4404)
        return
    sending = asyncio.create_task(_send_queued(socket, listener))
    try:
        while True:
            raw = await _received_text(socket)
            try:
                if raw is None:
                    raise InvalidAction("only text is understood here", where="live message")
                room.handle(listener, raw)
            except GemischtError as error:
                listener.send(_error_message(error))
            except ValidationError as error:
                reason = error.errors(include_url=False)[0]["msg"]
                listener.send(_error_message(GemischtError(reason, where="live message")))
            except Exception:
                listener.send(_error_message(unforeseen("live message")))
    except WebSocketDisconnect:
        pass
    finally:
        sending.cancel()
        with contextlib.suppress(asyncio.CancelledError, WebSocketDisconnect, RuntimeError):
            await sending
        await run_in_threadpool(hub.leave, session_id, listener)


async def _received_text(socket: WebSocket) -> str | None:
    """The next message; None for one of bytes."""
    message = await socket.receive()
    if message["type"] == "websocket.disconnect":
        raise WebSocketDisconnect(message.get("code", 1000))
    text: str | None = message.get("text")
    return text


async def _send_queued(socket: WebSocket, listener: Listener) -> None:
    while True:
        message = await listener.queue.get()
        if message is None:
            await socket.close(code=1013, reason="nothing was read for too long")
            return
        if isinstance(message, str):
            await socket.send_text(message)
        else:
            await socket.send_bytes(message)


def _error_message(error: GemischtError) -> str:
    return json.dumps({"type": "error", "what": error.what, "where": error.where, "remedy": error.remedy})
