"""Playback in a process of its own, as the web server has it: it hands over the connections of pages that listen, so
that neither requests nor the lock of its interpreter ever hold up sound; and starts the process again should it be
gone."""

import asyncio
import contextlib
import itertools
import json
import logging
import os
import socket
import threading
from asyncio import BaseTransport, Transport
from collections.abc import Callable
from concurrent.futures import Future
from typing import Any, cast

from gemischt.api.handing_over import Kind, send_message
from gemischt.api.settings import Settings
from gemischt.operations.child_process import ChildProcess

_log = logging.getLogger(__name__)
_LONGEST_ANSWER_S = 5.0
"""So long the answer to an edit waits for playback at most; it is kept whatever happens there."""


class _Process:
    """The process, the way to it, and who waits for what it says."""

    def __init__(self, settings: Settings, on_empty: Callable[[str], None]) -> None:
        self.process = ChildProcess("gemischt.api.playing_worker", _log)
        self.ended = False
        self._on_empty = on_empty
        self._sending = threading.Lock()
        self._numbers = itertools.count()
        self._waiting: dict[int, Future[None]] = {}
        self.send(Kind.BEGIN, settings.to_json())
        threading.Thread(target=self._read, name="playing", daemon=True).start()

    def send(self, kind: Kind, payload: bytes, handle: int | None = None) -> None:
        """Send a message; raises OSError if nobody is there any more."""
        with self._sending:
            send_message(self.process.control, kind, payload, handle)

    def tell_kept(self, session_id: str) -> "Future[None]":
        """Tell of a kept edit; the future is done once it is played, or nobody listens."""
        number = next(self._numbers)
        told = self._waiting[number] = Future()
        self.send(Kind.KEPT, json.dumps({"number": number, "session": session_id}).encode())
        return told

    def _read(self) -> None:
        for message in self.process.messages():
            if "kept" in message:
                self._waiting.pop(message["kept"]).set_result(None)
            else:
                self._on_empty(message["empty"])
        self.ended = True
        for told in list(self._waiting.values()):
            told.set_result(None)


class PlayingProcess:
    """Starts the process when it is first needed. Any thread may call.

    ``on_empty`` is told when the last page that listened to a session has left.
    """

    def __init__(self, settings: Settings) -> None:
        self._settings = settings
        self._running: _Process | None = None
        self._lock = threading.Lock()
        self.on_empty: Callable[[str], None] = lambda _session_id: None

    def start(self) -> _Process:
        """Have the process ready before it is needed."""
        with self._lock:
            if self._running is not None and self._running.ended:
                _log.error("playback's process ended unexpectedly")
                self._running = None
            if self._running is None:
                self._running = _Process(self._settings, lambda session_id: self.on_empty(session_id))
            return self._running

    def hand_over(self, connection: socket.socket, request: bytes) -> None:
        """Let the process go on with a connection whose request has been read, and is to become a WebSocket."""
        with connection:
            for _ in range(2):
                # The process may end at any moment: the next one takes it.
                with contextlib.suppress(OSError):
                    self.start().send(Kind.CONNECTION, request, connection.fileno())
                    return

    def document_changed(self, session_id: str) -> None:
        """Let a kept edit be heard, before anybody is told that it is kept."""
        running = self._running
        if running is not None:
            with contextlib.suppress(OSError, TimeoutError):
                running.tell_kept(session_id).result(_LONGEST_ANSWER_S)

    def close(self) -> None:
        """Let the process end."""
        with self._lock:
            running, self._running = self._running, None
        if running is not None:
            running.process.end()

    def protocol(self, **_server: Any) -> asyncio.Protocol:
        """What the web server hands connections to that are to become WebSockets."""
        return _HandsOver(self)


class _HandsOver(asyncio.Protocol):
    """Takes the request and lets go of the connection."""

    def __init__(self, playing: PlayingProcess) -> None:
        self._playing = playing

    def connection_made(self, transport: BaseTransport) -> None:
        self._transport = cast(Transport, transport)

    def data_received(self, data: bytes) -> None:
        held = self._transport.get_extra_info("socket")
        connection = socket.socket(fileno=os.dup(held.fileno()))
        # Ours is closed, the connection stays.
        self._transport.abort()
        asyncio.get_running_loop().run_in_executor(None, self._playing.hand_over, connection, data)
