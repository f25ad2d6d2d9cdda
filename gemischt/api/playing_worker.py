"""The process that plays, and does nothing else: it serves the connections that the web server hands over.

It ends when nobody is at the other end of the socket any more that it was started with.
"""

import asyncio
import gc
import json
import logging
import socket
import sys
import threading
from typing import Any

import uvicorn
from uvicorn.server import ServerState

from gemischt.api.app import create_playing_app
from gemischt.api.handing_over import Kind, read_message
from gemischt.api.settings import Settings
from gemischt.core.dsp.jit import prepare_kernels
from gemischt.live.hub import Hub
from gemischt.operations.workspace import Workspace

MOST_BYTES = 1 << 20
"""Of one message of a page."""
_SWITCH_INTERVAL_S = 0.0001
"""Threads that play share the interpreter with those that see to wishes, and need their turn for every step."""
_LONGEST_FAREWELL_S = 5.0


class _Server:
    """Connections, served by the application that plays."""

    def __init__(self, settings: Settings, control: socket.socket) -> None:
        self._control = control
        self._answering = threading.Lock()
        self._workspace = Workspace(settings.data_folder)
        self._hub = Hub(self._workspace, on_empty=lambda session_id: self._answer({"empty": session_id}))
        app = create_playing_app(settings, self._hub)
        self._config = uvicorn.Config(
            app, lifespan="off", log_config=None, ws_max_size=MOST_BYTES, ws_per_message_deflate=False
        )
        self._config.load()
        self._state = ServerState()

    async def serve(self, connection: socket.socket, request: bytes) -> None:
        """Go on with a connection whose request was read elsewhere."""
        loop = asyncio.get_running_loop()
        _, protocol = await loop.connect_accepted_socket(self._protocol, connection)
        protocol.data_received(request)

    def take_kept(self, number: int, session_id: str) -> None:
        """Let a kept edit be heard, and say when that is done."""
        try:
            self._hub.document_changed(session_id)
        finally:
            self._answer({"kept": number})

    async def close(self) -> None:
        """Send everybody away."""
        for protocol in list(self._state.connections):
            protocol.shutdown()
        deadline_s = asyncio.get_running_loop().time() + _LONGEST_FAREWELL_S
        while self._state.tasks and asyncio.get_running_loop().time() < deadline_s:
            await asyncio.wait(set(self._state.tasks), timeout=_LONGEST_FAREWELL_S)
        await asyncio.to_thread(self._hub.close)
        self._workspace.close()

    def _protocol(self) -> Any:
        make: Any = self._config.ws_protocol_class
        return make(config=self._config, server_state=self._state, app_state={})

    def _answer(self, message: dict[str, Any]) -> None:
        with self._answering:
            self._control.sendall(json.dumps(message).encode() + b"\n")


async def _serve(control: socket.socket) -> None:
    begun = await asyncio.to_thread(read_message, control)
    if begun is None:
        return
    server = await asyncio.to_thread(_Server, Settings.from_json(begun[1]), control)
    under_way: set[asyncio.Task[None]] = set()
    while (message := await asyncio.to_thread(read_message, control)) is not None:
        kind, payload, handle = message
        if kind is Kind.CONNECTION:
            assert handle is not None
            doing = server.serve(socket.socket(fileno=handle), payload)
        else:
            kept = json.loads(payload)
            doing = asyncio.to_thread(server.take_kept, kept["number"], kept["session"])
        task = asyncio.get_running_loop().create_task(doing)
        under_way.add(task)
        task.add_done_callback(under_way.discard)
    await server.close()


def _make_ready() -> None:
    """Load the kernels, and keep what is there by now out of the garbage collector's sight: looking through it all
    stops a thread that plays for longer than it renders ahead."""
    prepare_kernels()
    gc.freeze()


def main(control: socket.socket) -> None:
    """Play for whoever listens."""
    logging.basicConfig(level=logging.WARNING, format="%(levelname)s %(name)s: %(message)s", stream=sys.stderr)
    sys.setswitchinterval(_SWITCH_INTERVAL_S)
    threading.Thread(target=_make_ready, name="kernels", daemon=True).start()
    asyncio.run(_serve(control))
