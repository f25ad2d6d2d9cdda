"""Playback in a process of its own: the same sound, edits in order, no strangers, and what happens when it dies."""

import contextlib
import json
import os
import signal
import socket
import threading
import time
from collections.abc import Iterator
from typing import Any

import httpx2
import numpy as np
import uvicorn
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import ClientConnection, connect

from gemischt.api.app import create_app
from gemischt.api.playing import PlayingProcess
from gemischt.api.settings import Settings
from tests.live.test_live import HEADER, HEADER_BYTES
from tests.support.serving import guarded_loop
from tests.support.signals import Signal, noise
from tests.support.workspaces import WorkspaceCase


def message_of(page: ClientConnection, kind: str) -> dict[str, Any]:
    """The next text of a kind; what comes before it is dropped."""
    while True:
        received = page.recv(timeout=20.0)
        if isinstance(received, str) and (message := json.loads(received))["type"] == kind:
            found: dict[str, Any] = message
            return found


def sound_of(page: ClientConnection, n_samples: int) -> Signal:
    """The next samples, acknowledged as they come."""
    blocks: list[Signal] = []
    while sum(block.shape[1] for block in blocks) < n_samples:
        received = page.recv(timeout=20.0)
        if isinstance(received, bytes):
            fields = HEADER.unpack(received[:HEADER_BYTES])
            blocks.append(np.frombuffer(received, "<f4")[-2 * fields[6] :].reshape(2, -1))
            page.send(json.dumps({"type": "played", "epoch": fields[1], "samples": fields[4] + fields[6]}))
    return np.concatenate(blocks, axis=1)[:, :n_samples]


class PlayingTest(WorkspaceCase):
    def setUp(self) -> None:
        super().setUp()
        self.signal = noise(2.0, seed=21).astype(np.float32)
        self.stored = self.new_session(noise=self.signal)
        self.workspace.close()
        settings = Settings(data_folder=self.data, web_folder=self.folder / "none")
        self.playing = PlayingProcess(settings)
        self.port = self.enterContext(self.served(settings))
        self.http = self.enterContext(httpx2.Client(base_url=f"http://127.0.0.1:{self.port}", timeout=30.0))

    @contextlib.contextmanager
    def served(self, settings: Settings) -> Iterator[int]:
        """The application behind a real server, whose loop must not be held up."""
        listening = socket.create_server(("127.0.0.1", 0))
        protocol: Any = self.playing.protocol
        config = uvicorn.Config(create_app(settings, self.playing), log_config=None, ws=protocol)
        server = uvicorn.Server(config)
        with guarded_loop(), listening:
            thread = threading.Thread(target=server.run, kwargs={"sockets": [listening]})
            thread.start()
            try:
                yield listening.getsockname()[1]
            finally:
                server.should_exit = True
                thread.join()

    def page(self, **options: Any) -> ClientConnection:
        address = f"ws://127.0.0.1:{self.port}/api/sessions/{self.stored.id}/live"
        return connect(address, open_timeout=30.0, close_timeout=5.0, **options)

    def edit(self, revision: int, action: dict[str, Any]) -> int:
        body = {"revision": revision, "action": action}
        answer = self.http.post(f"/api/sessions/{self.stored.id}/edits", json=body)
        self.assertEqual(answer.status_code, 200, answer.text)
        kept: int = answer.json()["revision"]
        return kept

    def pid(self) -> int:
        return self.playing.start().process.pid

    def test_the_sound_is_the_song(self) -> None:
        with self.page() as page:
            page.send(json.dumps({"type": "play"}))
            np.testing.assert_array_equal(sound_of(page, 8192), self.signal[:, :8192])

    def test_who_has_been_told_that_an_edit_is_kept_can_go_on_from_it_at_once(self) -> None:
        revision = self.stored.revision
        with self.page() as page, self.page() as other:
            for number in range(25):
                revision = self.edit(revision, {"type": "add-strip", "kind": "bus", "name": f"Bus {number}"})
                change = {"strip": f"bus-{number}", "fader_db": -3.0}
                preview = {"type": "preview", "serial": number, "action": {"type": "set-strips", "changes": [change]}}
                page.send(json.dumps(preview))
            # In order: had one been refused, its error would come before the answer to this.
            page.send(json.dumps({"type": "dance"}))
            self.assertIn("dance", message_of(page, "error")["what"])
            told = [message_of(other, "document")["revision"]]
            while told[-1] < revision:
                told.append(message_of(other, "document")["revision"])
        self.assertEqual(told, sorted(set(told)))

    def test_a_process_that_died_is_started_again_and_no_edit_waits_for_it(self) -> None:
        left: list[str] = []
        first = self.pid()
        with self.assertLogs("gemischt.api.playing", "ERROR") as logged, self.page() as page:
            page.send(json.dumps({"type": "play"}))
            sound_of(page, 2048)
            os.kill(first, signal.SIGKILL)
            with self.assertRaises(ConnectionClosed):
                sound_of(page, 48000)
            began_s = time.monotonic()
            revision = self.edit(self.stored.revision, {"type": "add-strip", "kind": "bus", "name": "Bus"})
            self.assertLess(time.monotonic() - began_s, 4.0)
            self.playing.on_empty = left.append
            with self.page() as again:
                self.assertEqual(
                    self.edit(revision, {"type": "add-strip", "kind": "bus", "name": "Another"}), revision + 1
                )
                while message_of(again, "document")["revision"] < revision + 1:
                    pass
                again.send(json.dumps({"type": "play"}))
                np.testing.assert_array_equal(sound_of(again, 4096), self.signal[:, :4096])
        self.assertNotEqual(self.pid(), first)
        self.assertIn("ended unexpectedly", "".join(logged.output))
        deadline_s = time.monotonic() + 10.0
        while left != [self.stored.id]:
            self.assertLess(time.monotonic(), deadline_s, "nobody said that the last page has left")
            time.sleep(0.02)

    def test_many_pages_come_and_go_at_once(self) -> None:
        heard: list[bool] = []

        def listen(number: int) -> None:
            for _ in range(3):
                with self.page() as page:
                    page.send(json.dumps({"type": "play", "at_s": 0.01 * number}))
                    self.assertTrue(message_of(page, "transport")["strips"])
                    heard.append(True)

        threads = [threading.Thread(target=listen, args=(number,)) for number in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(len(heard), 24)
        with self.page() as page:
            page.send(json.dumps({"type": "play", "at_s": 0.5}))
            np.testing.assert_array_equal(sound_of(page, 4096), self.signal[:, 24000:28096])

    def test_strangers_are_turned_away(self) -> None:
        for options in ({"origin": "http://evil.example"}, {"additional_headers": {"Host": "evil.example"}}):
            with self.subTest(options), self.assertRaises(InvalidStatus) as refused:
                self.page(**options)
            self.assertEqual(refused.exception.response.status_code, 403)
        for raw in (b"GET /nowhere HTTP/1.1\r\nHost: 127.0.0.1\r\n", b"GET / HTTP/1.1\r\nHost: evil.example\r\n"):
            upgrade = b"Connection: Upgrade\r\nUpgrade: websocket\r\nSec-WebSocket-Version: 13\r\n"
            with self.subTest(raw), socket.create_connection(("127.0.0.1", self.port), timeout=20.0) as lone:
                lone.sendall(raw + upgrade + b"Sec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\r\n\r\n")
                self.assertRegex(lone.recv(4096), rb"^HTTP/1.1 40[034]")

    def test_who_lacks_the_token_is_turned_away(self) -> None:
        settings = Settings(data_folder=self.data, web_folder=self.folder / "none", token="a-token")
        playing = PlayingProcess(Settings.from_json(settings.to_json()))
        self.addCleanup(playing.close)
        for token, status in (("", 403), ("another", 403), ("a-token", 101)):
            # As the web server hands it over: names in small letters.
            lines = (
                f"GET /api/sessions/{self.stored.id}/live HTTP/1.1",
                "host: 127.0.0.1",
                "connection: upgrade",
                "upgrade: websocket",
                "sec-websocket-version: 13",
                "sec-websocket-key: dGhlIHNhbXBsZSBub25jZQ==",
                f"cookie: gemischt-token={token}",
            )
            listening = socket.create_server(("127.0.0.1", 0))
            with (
                self.subTest(token),
                listening,
                socket.create_connection(listening.getsockname(), timeout=20.0) as page,
            ):
                playing.hand_over(listening.accept()[0], ("\r\n".join(lines) + "\r\n\r\n").encode())
                self.assertRegex(page.recv(4096), rf"^HTTP/1.1 {status} ".encode())
