"""The live connection."""

import asyncio
import json

from anyio import CancelScope
from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import ValidationError
from starlette.concurrency import run_in_threadpool

from gemischt.api.dependencies import HubDep
from gemischt.api.errors import unforeseen
from gemischt.core.errors import GemischtError, InvalidAction
from gemischt.core.session.validation import faults_of
from gemischt.live.hub import Listener, Room
from gemischt.live.inbox import Inbox
from gemischt.live.messages import CLIENT_MESSAGE, AnyMessage, Played

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
    inbox = Inbox()
    tasks = [asyncio.create_task(_send_queued(socket, listener)), asyncio.create_task(_see_to(inbox, room, listener))]
    try:
        while True:
            raw = await _received_text(socket)
            try:
                message = _parsed(raw)
                if isinstance(message, Played):
                    # What the player goes by waits for nothing that takes long.
                    room.played(listener, message)
                else:
                    await inbox.put(message)
            except GemischtError as error:
                listener.send(_error_message(error))
    except WebSocketDisconnect:
        pass
    finally:
        for task in tasks:
            task.cancel()
        # Whoever leaves leaves, even while everything is being stopped.
        with CancelScope(shield=True):
            await asyncio.gather(*tasks, return_exceptions=True)
            await run_in_threadpool(hub.leave, session_id, listener)


def _parsed(raw: str | None) -> AnyMessage:
    """A message, None if it was not of text; raises InvalidAction if it cannot be understood."""
    if raw is None:
        raise InvalidAction("only text is understood here", where="live message")
    try:
        return CLIENT_MESSAGE.validate_json(raw)
    except ValidationError as error:
        fault = faults_of(error)[0]
        raise InvalidAction(": ".join(filter(None, (fault.path, fault.reason))), where="live message") from None


async def _see_to(inbox: Inbox, room: Room, listener: Listener) -> None:
    """Act on one message after the other, away from the loop: some read the database or open files."""
    while True:
        message = await inbox.take()
        try:
            await run_in_threadpool(room.handle, listener, message)
        except GemischtError as error:
            listener.send(_error_message(error))
        except Exception:
            listener.send(_error_message(unforeseen("live message")))


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
