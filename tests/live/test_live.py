"""The live connection: sound as the engine renders it, transport, loops, edits, and bad messages."""

import asyncio
import contextlib
import json
import logging
import struct
import threading
import unittest
from concurrent.futures import ThreadPoolExecutor
from typing import Any
from unittest import mock

import numpy as np
from starlette.testclient import WebSocketDenialResponse, WebSocketTestSession
from starlette.websockets import WebSocketDisconnect

from gemischt.api.settings import Settings
from gemischt.core.engine.renderer import Renderer
from gemischt.core.errors import Cancelled
from gemischt.core.session.actions import parse_action
from gemischt.core.session.validation import parse_session
from gemischt.live import messages
from gemischt.live.frames import HEADER_BYTES, MAGIC
from gemischt.live.hub import UNREAD_LIMIT, Listener
from gemischt.live.inbox import MOST_WAITING, Inbox
from gemischt.live.lead import BRACED_S, SHORTEST_S
from gemischt.live.messages import AnyMessage
from gemischt.live.transport import Transport
from gemischt.storage.audio_files import Progress
from tests.support.serving import serve
from tests.support.signals import RATE_HZ, Signal, noise
from tests.support.workspaces import WorkspaceCase

NEW_TRACK = {"name": "New", "media": {"id": "new", "path": "audio/new.wav", "sha256": "a" * 64}}
HEADER = struct.Struct("<4sIIIIdIIIIIIII")


class Listening:
    """A client that plays everything at once."""

    def __init__(self, socket: WebSocketTestSession) -> None:
        self.socket = socket
        self.texts: list[dict[str, Any]] = []
        self.frames: list[dict[str, Any]] = []

    def send(self, **message: Any) -> None:
        self.socket.send_text(json.dumps(message))

    def take(self) -> dict[str, Any] | None:
        """The next frame, acknowledged; None for a text, which is kept."""
        message = self.socket.receive()
        if message.get("text"):
            self.texts.append(json.loads(message["text"]))
            return None
        data = message["bytes"]
        fields = HEADER.unpack(data[:HEADER_BYTES])
        assert fields[0] == MAGIC
        values = np.frombuffer(data[HEADER_BYTES:], "<f4")
        n_strips, n_probe, n_spectrum, n_led, n_curves, n_scope, n_sounds = fields[7:14]
        n_before = 4 + 9 * n_strips + n_strips + n_probe + n_spectrum
        n_scoped = n_before + n_led + n_curves
        n_head = n_scoped + n_scope
        sound = values[n_head:].reshape(2 * n_sounds, -1) if n_sounds else None
        frame = {
            "epoch": fields[1],
            "serial": fields[2],
            "revision": fields[3],
            "first": fields[4],
            "position": fields[5],
            "n": fields[6],
            "meters": values[4 : 4 + 9 * n_strips].reshape(n_strips, 3, 3),
            "reductions": values[4 + 9 * n_strips : 4 + 10 * n_strips],
            "probe": values[4 + 10 * n_strips : 4 + 10 * n_strips + n_probe].reshape(-1, 3),
            "led": values[n_before : n_before + n_led],
            "curves": values[n_before + n_led : n_scoped],
            "scope": values[n_scoped:n_head],
            "sound": None if sound is None else sound[:2],
            "all_sound": sound,
        }
        self.frames.append(frame)
        self.send(type="played", epoch=fields[1], samples=fields[4] + fields[6])
        return frame

    def text(self, kind: str) -> dict[str, Any]:
        """Wait for a text of a kind."""
        while not (found := [text for text in self.texts if text["type"] == kind]):
            self.take()
        self.texts.remove(found[0])
        return found[0]

    def sound(self, n_samples: int, epoch: int) -> Signal:
        """The first samples of an epoch."""
        blocks: list[Signal] = []
        while sum(block.shape[1] for block in blocks) < n_samples:
            frame = self.take()
            if frame is not None and frame["epoch"] == epoch:
                assert frame["sound"] is not None
                blocks.append(frame["sound"])
        return np.concatenate(blocks, axis=1)[:, :n_samples]


class LiveCase(WorkspaceCase):
    def setUp(self) -> None:
        super().setUp()
        self.signal = noise(2.0, seed=21).astype(np.float32)
        self.stored = self.new_session(noise=self.signal)
        self.workspace.close()
        self.client = serve(self, Settings(data_folder=self.data, web_folder=self.folder / "none"))

    def connect(self, **headers: str) -> WebSocketTestSession:
        return self.client.websocket_connect(
            f"/api/sessions/{self.stored.id}/live", headers={"host": "127.0.0.1:8765", **headers}
        )

    def edit(self, action: dict[str, Any]) -> int:
        state = self.client.get(f"/api/sessions/{self.stored.id}").json()
        body = {"revision": state["revision"], "action": action}
        answer = self.client.post(f"/api/sessions/{self.stored.id}/edits", json=body)
        self.assertEqual(answer.status_code, 200, answer.text)
        revision: int = answer.json()["revision"]
        return revision


class PlaybackTest(LiveCase):
    def test_live_sound_is_what_the_engine_renders(self) -> None:
        with self.connect() as socket:
            listening = Listening(socket)
            listening.send(type="play", at_s=0.25)
            out = listening.sound(20000, epoch=1)
        np.testing.assert_array_equal(out, self.signal[:, 12000:32000])

    def test_what_followers_lead_is_told_as_it_sounds(self) -> None:
        at = "strips/noise/chain/eq/bands/b/gain_db"
        motion = {"to_db": -12.0, "from_level_db": -60.0, "full_level_db": -50.0, "hears": "all", "attack_ms": 0.0}
        band = {"id": "b", "frequency_hz": 1000.0, "q": 1.0, "gain_db": 3.0, "motion": motion}
        self.edit({"type": "add-processor", "strip": "noise", "processor": "eq", "params": {"bands": [band]}})
        with self.connect() as socket:
            listening = Listening(socket)
            told = listening.text("led")
            self.assertEqual(told["parameters"], [{"address": at, "low": -12.0, "high": 3.0}])
            listening.send(type="watch", strip="noise")
            listening.send(type="play", at_s=0.0)
            listening.sound(24000, epoch=1)
            last = [frame for frame in listening.frames if frame["epoch"] == 1][-1]
            self.assertAlmostEqual(float(last["led"][0]), -12.0, places=3)
            curve = next(frame["curves"] for frame in reversed(listening.frames) if len(frame["curves"]))
            self.assertAlmostEqual(float(curve.min()), -12.0, delta=0.1)
            self.edit({"type": "set-processor", "strip": "noise", "processor": "eq", "params": {"bands": []}})
            self.assertEqual(listening.text("led")["parameters"], [])

    def test_the_watched_strip_is_seen_left_against_right(self) -> None:
        self.edit({"type": "set-strips", "changes": [{"strip": "noise", "pan": {"position": -1.0}}]})
        with self.connect() as socket:
            listening = Listening(socket)
            listening.send(type="watch", strip="noise")
            listening.send(type="play", at_s=0.0)
            listening.sound(24000, epoch=1)
            frame = [frame for frame in listening.frames if frame["epoch"] == 1][-1]
            correlation, pairs = frame["scope"][0], frame["scope"][1:].reshape(2, -1)
            self.assertEqual(correlation, 0.0)
            np.testing.assert_array_equal(pairs[1], 0.0)
            at = frame["first"] + np.arange(pairs.shape[1]) * frame["n"] // pairs.shape[1]
            np.testing.assert_allclose(pairs[0], self.signal[0, at], atol=1e-6)
            listening.send(type="watch", strip=None)
            listening.send(type="play", at_s=0.0)
            listening.sound(2048, epoch=2)
            self.assertEqual(len(listening.frames[-1]["scope"]), 0)

    def receive_lead(self, socket: WebSocketTestSession, seconds: float, sent: int = 0) -> int:
        """Take what is sent ahead without having played it; how much that is, in samples."""
        while sent < seconds * RATE_HZ:
            message = socket.receive()
            sent += HEADER.unpack(message["bytes"][:HEADER_BYTES])[6] if message.get("bytes") else 0
        return sent

    def assert_no_more_comes(self, socket: WebSocketTestSession) -> None:
        socket.send_text(json.dumps({"type": "seek", "at_s": 1.0}))
        message = socket.receive()
        while message.get("text") is None or json.loads(message["text"])["type"] != "transport":
            self.assertNotEqual(message.get("bytes", b"")[4:8], struct.pack("<I", 1), "more than the lead was sent")
            message = socket.receive()

    def test_only_the_lead_is_sent_until_it_is_played(self) -> None:
        with self.connect() as socket:
            listening = Listening(socket)
            listening.text("transport")
            listening.send(type="play")
            self.receive_lead(socket, BRACED_S)
            self.assert_no_more_comes(socket)

    @mock.patch("gemischt.live.lead.BRIDGED_S", 0.0)
    def test_the_lead_is_longer_behind_a_kept_edit_until_a_control_is_reached_for(self) -> None:
        with self.connect() as socket:
            listening = Listening(socket)
            listening.text("transport")
            listening.send(type="play")
            sent = self.receive_lead(socket, BRACED_S)
            listening.send(type="reach")
            # More than the shortest lead is still ahead.
            enough = round((SHORTEST_S + 0.02) * RATE_HZ)
            listening.send(type="played", epoch=1, samples=sent - enough)
            self.edit({"type": "set-strips", "changes": [{"strip": "noise", "fader_db": -1.0}]})
            sent = self.receive_lead(socket, (sent - enough) / RATE_HZ + BRACED_S, sent)
            listening.send(type="reach")
            listening.send(type="played", epoch=1, samples=sent - enough)
            self.assert_no_more_comes(socket)

    def test_a_loop_is_seamless(self) -> None:
        with self.connect() as socket:
            listening = Listening(socket)
            listening.send(type="loop", stretch_s=[0.1, 0.3])
            listening.send(type="play", at_s=0.1)
            out = listening.sound(24000, epoch=1)
        stretch = self.signal[:, 4800:14400]
        np.testing.assert_array_equal(out, np.concatenate([stretch] * 3, axis=1)[:, :24000])

    def test_seek_and_stop(self) -> None:
        with self.connect() as socket:
            listening = Listening(socket)
            listening.text("transport")
            listening.send(type="play")
            self.assertTrue(listening.text("transport")["playing"])
            listening.sound(4096, epoch=1)
            listening.send(type="seek", at_s=1.5)
            np.testing.assert_array_equal(listening.sound(4096, epoch=2), self.signal[:, 72000:76096])
            listening.texts.clear()
            listening.send(type="stop")
            stopped = listening.text("transport")
            self.assertFalse(stopped["playing"])
            self.assertGreater(stopped["position_s"], 1.5)

    def test_it_stops_at_the_end(self) -> None:
        with self.connect() as socket:
            listening = Listening(socket)
            listening.text("transport")
            listening.send(type="play", at_s=1.9)
            self.assertTrue(listening.text("transport")["playing"])
            self.assertFalse(listening.text("transport")["playing"])

    def test_a_second_tab_watches_without_sound(self) -> None:
        with self.connect() as first, self.connect() as second:
            player, watcher = Listening(first), Listening(second)
            player.send(type="play")
            player.sound(2048, epoch=1)
            frame = None
            while frame is None:
                frame = watcher.take()
            self.assertIsNone(frame["sound"])
            self.assertGreater(float(frame["meters"].max()), -40.0)


class LeavingTest(LiveCase):
    def test_what_pages_asked_about_a_session_is_given_up_with_the_last_of_them(self) -> None:
        jobs = self.client.app.state.jobs  # type: ignore[attr-defined]
        stopped = threading.Event()

        def work(report: Progress) -> None:
            try:
                while True:
                    report(0.5)
            except Cancelled:
                stopped.set()
                raise

        with self.connect():
            with self.connect() as second:
                job = jobs.start_instead("Question", work, session=self.stored.id)
                Listening(second).text("transport")
            self.assertFalse(stopped.wait(0.2))
        self.assertTrue(stopped.wait(10))
        self.assertTrue(job.cancelling.is_set())


class MovesTest(LiveCase):
    def test_what_moves_plays_as_it_is_rendered(self) -> None:
        band = {"shape": "bell", "frequency_hz": 500.0, "gain_db": 9.0}
        self.edit({"type": "add-processor", "strip": "noise", "processor": "eq", "params": {"bands": [band]}})
        curves = {
            "fader_db": [{"at_s": 0.1, "value": -20.0}, {"at_s": 0.9, "value": 0.0, "bend": 0.3}],
            "chain/eq/bands/b1/frequency_hz": [{"at_s": 0.2, "value": 100.0}, {"at_s": 0.8, "value": 8000.0}],
            "mute": [{"at_s": 0.0, "value": False}, {"at_s": 0.7, "value": True}, {"at_s": 0.75, "value": False}],
        }
        moves = [{"target": f"strips/noise/{field}", "points": points} for field, points in curves.items()]
        self.edit({"type": "set-moves", "moves": moves})
        document = self.client.get(f"/api/sessions/{self.stored.id}").json()["document"]
        media = {document["media"][0]["id"]: np.ascontiguousarray(self.signal.T)}
        rendered = Renderer(parse_session(document), media, max_block=4096).render(48000)
        with self.connect() as socket:
            listening = Listening(socket)
            listening.send(type="play", at_s=0.0)
            played = listening.sound(48000, epoch=1)
        np.testing.assert_allclose(played[:, 960:], rendered[:, 960:], atol=1e-6)


class KeyListeningTest(LiveCase):
    def test_a_key_is_heard_filtered_instead_of_the_mix_and_the_mix_comes_back(self) -> None:
        self.edit(
            {"type": "add-processor", "strip": "noise", "processor": "compressor", "params": {"threshold_db": 0.0}}
        )
        key = {"filter": {"high_cut_hz": 300.0}}
        self.edit({"type": "set-processor", "strip": "noise", "processor": "compressor", "key": key})
        with self.connect() as socket:
            listening = Listening(socket)
            listening.send(type="hear-key", strip="noise", step="compressor")
            listening.send(type="play")
            heard = listening.sound(24000, epoch=1)[0, 4800:]
            listening.send(type="hear-key")
            listening.send(type="seek", at_s=0.5)
            mix = listening.sound(24000, epoch=2)
        power = np.abs(np.fft.rfft(heard)) ** 2
        highs = power[len(power) // 4 :].sum() / power.sum()
        self.assertLess(highs, 0.01)
        self.assertGreater(np.abs(heard).max(), 1e-3)
        np.testing.assert_allclose(mix[:, 4800:], self.signal[:, 28800:48000], atol=1e-6)

    def test_a_step_that_is_not_there_leaves_silence_and_breaks_nothing(self) -> None:
        with self.connect() as socket:
            listening = Listening(socket)
            listening.send(type="hear-key", strip="noise", step="gone")
            listening.send(type="play")
            self.assertEqual(np.abs(listening.sound(9600, epoch=1)[:, 4800:]).max(), 0.0)


class EditsTest(LiveCase):
    def test_a_preview_is_heard_and_reverted(self) -> None:
        with self.connect() as socket:
            listening = Listening(socket)
            listening.send(type="play")
            listening.sound(1024, epoch=1)
            action = {"type": "set-strips", "changes": [{"strip": "noise", "fader_db": None}]}
            listening.send(type="preview", serial=7, action=action)
            while listening.frames[-1]["serial"] != 7:
                listening.take()
            for _ in range(3):
                listening.sound(1024, epoch=1)
            self.assertFalse(np.any(listening.frames[-1]["sound"]))
            listening.send(type="revert")
            while not np.any(listening.frames[-1]["sound"]):
                listening.take()
        stored = self.client.get(f"/api/sessions/{self.stored.id}").json()
        self.assertEqual(stored["document"]["strips"][0]["fader_db"], 0.0)

    def test_a_kept_edit_is_heard_and_told_to_everybody(self) -> None:
        with self.connect() as socket:
            listening = Listening(socket)
            listening.send(type="play")
            listening.sound(1024, epoch=1)
            revision = self.edit({"type": "set-strips", "changes": [{"strip": "noise", "mute": True}]})
            self.assertEqual(listening.text("document")["revision"], self.stored.revision)
            self.assertEqual(listening.text("document")["revision"], revision)
            while listening.frames[-1]["revision"] < revision:
                listening.take()
            for _ in range(3):
                listening.sound(1024, epoch=1)
            self.assertFalse(np.any(listening.frames[-1]["sound"]))

    def test_a_new_track_joins_while_playing(self) -> None:
        with self.connect() as socket:
            listening = Listening(socket)
            listening.send(type="loop", stretch_s=[0.0, 2.0])
            listening.send(type="play")
            listening.sound(1024, epoch=1)
            self.edit({"type": "add-strip", "name": "Bus"})
            revision = self.edit({"type": "set-output", "strips": ["noise"], "output": "bus"})
            while listening.frames[-1]["revision"] < revision:
                listening.take()
            self.assertEqual(listening.frames[-1]["meters"].shape[0], 3)
            for _ in range(4):
                listening.sound(1024, epoch=1)
            self.assertGreater(float(listening.frames[-1]["meters"][1, 2, 0]), -40.0)

    def test_the_watched_strips_curves_and_levels_come(self) -> None:
        self.edit({"type": "add-processor", "strip": "noise", "processor": "eq", "params": {"bands": [{"gain_db": 6}]}})
        self.edit(
            {"type": "add-processor", "strip": "noise", "processor": "compressor", "params": {"threshold_db": -50}}
        )
        with self.connect() as socket:
            listening = Listening(socket)
            listening.text("curves")
            listening.send(type="watch", strip="noise")
            eq, compressor = listening.text("curves")["processors"]
            self.assertAlmostEqual(max(eq["curve"]), 6.0, delta=0.05)
            self.assertLess(compressor["curve"][-1], -30.0)
            listening.send(type="play")
            listening.sound(8192, epoch=1)
            probe = listening.frames[-1]["probe"]
            self.assertEqual(probe.shape, (2, 3))
            self.assertGreater(probe[1, 2], 10.0)
            self.assertAlmostEqual(float(listening.frames[-1]["reductions"][0]), float(probe[1, 2]), places=4)


class RefusalsTest(LiveCase):
    def test_bad_messages_are_answered_and_change_nothing(self) -> None:
        with self.connect() as socket:
            listening = Listening(socket)
            to_itself = {"type": "set-output", "strips": ["mix"], "output": "mix"}
            cases: list[tuple[dict[str, Any], str]] = [
                ({"type": "dance"}, "'dance'"),
                ({"type": "seek"}, "seek/at_s: Field required"),
                ({"type": "seek", "at_s": -1}, "seek/at_s: .* greater than or equal to 0"),
                ({"type": "preview", "serial": 1, "action": to_itself}, "strips/mix/output: the mix plays out"),
                ({"type": "preview", "serial": 1, "action": {"type": "nothing"}}, "'nothing'"),
                (
                    {"type": "preview", "serial": 1, "action": {"type": "add-tracks", "tracks": [NEW_TRACK]}},
                    "new audio is heard once it is kept",
                ),
            ]
            for message, reason in cases:
                with self.subTest(message=message):
                    listening.send(**message)
                    self.assertRegex(listening.text("error")["what"], reason)
            listening.send(type="play")
            np.testing.assert_array_equal(listening.sound(2048, epoch=1), self.signal[:, :2048])

    def test_what_would_have_ended_playback_does_not(self) -> None:
        unknown = {"type": "add-tracks", "tracks": [NEW_TRACK]}
        cases: list[tuple[dict[str, Any], str]] = [
            ({"type": "seek", "at_s": 1e15}, "seek/at_s: .* less than or equal to 86400"),
            ({"type": "play", "at_s": 1e300}, "play/at_s: .* less than or equal to 86400"),
            ({"type": "loop", "stretch_s": [0.0, 1e18]}, "loop/stretch_s/1: .* less than or equal to 86400"),
            ({"type": "audition", "action": unknown}, "new audio is heard once it is kept"),
            ({"type": "compare", "snapshot": "none"}, "no such snapshot"),
            ({"type": "preview", "serial": 3, "action": {"type": "set-tempo", "tempo": []}}, "tempo"),
            ({"type": "played", "epoch": 1, "samples": 2**80}, "played/samples: "),
        ]
        with self.connect() as socket:
            listening = Listening(socket)
            listening.text("transport")
            for message, reason in cases:
                with self.subTest(message=message):
                    listening.send(**message)
                    self.assertRegex(listening.text("error")["what"], reason)
            for data in (b"", b"\0" * 1000):
                socket.send_bytes(data)
                self.assertIn("only text", listening.text("error")["what"])
            for raw, reason in (
                ("", "Invalid JSON"),
                ("[", "Invalid JSON"),
                ("null", "should be an object"),
                ("[" * 50_000, "recursion limit"),
                ('{"type": "play", "at_s": NaN}', "finite number"),
            ):
                socket.send_text(raw)
                self.assertIn(reason, listening.text("error")["what"])
            listening.send(type="play", at_s=0.0)
            np.testing.assert_array_equal(listening.sound(4096, epoch=1), self.signal[:, :4096])

    def test_a_failing_player_says_so_and_plays_again(self) -> None:
        with self.connect() as socket:
            listening = Listening(socket)
            listening.text("transport")
            listening.send(type="play")
            listening.sound(2048, epoch=1)
            with (
                self.assertLogs("gemischt.live", logging.ERROR) as logged,
                mock.patch("gemischt.live.player.Player._frame", side_effect=ZeroDivisionError("no such luck")),
            ):
                listening.send(type="played", epoch=1, samples=48000)
                self.assertIn("no such luck", listening.text("error")["what"])
            self.assertIn("revision", logged.output[0])
            listening.texts.clear()
            listening.send(type="play", at_s=0.5)
            self.assertTrue(listening.text("transport")["playing"])
            listening.frames.clear()
            epoch = 3
            np.testing.assert_array_equal(listening.sound(4096, epoch=epoch), self.signal[:, 24000:28096])

    def test_a_connection_that_reads_nothing_is_given_up(self) -> None:
        async def unread() -> Listener:
            listener = Listener(asyncio.get_running_loop())
            for _ in range(UNREAD_LIMIT + 100):
                listener.send("x")
            while not listener.given_up:
                await asyncio.sleep(0)
            return listener

        # In a thread of its own: the browser's tests leave a running loop in this one.
        with ThreadPoolExecutor(1) as pool:
            listener = pool.submit(lambda: asyncio.run(unread())).result()
        self.assertEqual(listener.queue.qsize(), 1)
        self.assertIsNone(listener.queue.get_nowait())

    def test_an_unknown_session_is_said(self) -> None:
        with self.client.websocket_connect("/api/sessions/none/live", headers={"host": "127.0.0.1:8765"}) as socket:
            self.assertEqual(json.loads(socket.receive_text())["what"], "no such session")
            with self.assertRaises(WebSocketDisconnect):
                socket.receive_text()

    def test_foreign_pages_are_turned_away(self) -> None:
        with self.assertRaises((WebSocketDisconnect, WebSocketDenialResponse)):
            with self.connect(origin="http://evil.example"):
                pass


class TransportTest(WorkspaceCase):
    def test_the_state_machine(self) -> None:
        transport = Transport().play(None, 1000)
        self.assertEqual((transport.playing, transport.position_samples, transport.epoch), (True, 0, 1))
        stopped = transport.advanced(700).stop(400)
        self.assertEqual((stopped.playing, stopped.position_samples), (False, 400))
        self.assertEqual(stopped.seek(2000).play(None, 1000).position_samples, 0)
        self.assertEqual(stopped.set_loop((0, 10)).seek(2000).play(None, 1000).position_samples, 2000)
        self.assertIsNone(stopped.set_loop((10, 10)).loop)
        self.assertEqual(stopped.seek(-5).position_samples, 0)


class InboxTest(unittest.TestCase):
    def taken(self, *putting: AnyMessage) -> list[AnyMessage]:
        async def through() -> list[AnyMessage]:
            inbox = Inbox()
            for message in putting:
                await asyncio.wait_for(inbox.put(message), 5.0)
            await inbox.put(messages.Stop(type="stop"))
            found = [await inbox.take()]
            while found[-1].type != "stop":
                found.append(await inbox.take())
            return found[:-1]

        with ThreadPoolExecutor(1) as pool:
            return pool.submit(lambda: asyncio.run(through())).result()

    def test_of_previews_that_wait_only_the_newest_counts(self) -> None:
        first, second, third = (messages.Preview(type="preview", serial=k, action={}) for k in range(3))
        seek = messages.Seek(type="seek", at_s=1.0)
        self.assertEqual(self.taken(first, second, seek, third), [second, seek, third])

    def test_ten_thousand_previews_find_room(self) -> None:
        previews = [messages.Preview(type="preview", serial=k, action={}) for k in range(10_000)]
        self.assertEqual(self.taken(*previews), previews[-1:])

    def test_who_asks_for_too_much_waits(self) -> None:
        async def filled() -> int:
            inbox = Inbox()
            put = 0
            with contextlib.suppress(TimeoutError):
                for _ in range(2 * MOST_WAITING):
                    await asyncio.wait_for(inbox.put(messages.Seek(type="seek", at_s=1.0)), 0.2)
                    put += 1
            return put

        with ThreadPoolExecutor(1) as pool:
            self.assertEqual(pool.submit(lambda: asyncio.run(filled())).result(), MOST_WAITING)


class KeptTest(LiveCase):
    def test_of_edits_that_were_kept_the_newest_is_played_and_told_once(self) -> None:
        with self.connect() as socket:
            listening = Listening(socket)
            listening.text("transport")
            hub = self.client.app.state.hub  # type: ignore[attr-defined]
            store = self.client.app.state.workspace.sessions  # type: ignore[attr-defined]
            for level_db in (-60.0, 0.0):
                action = {"type": "set-strips", "changes": [{"strip": "noise", "fader_db": level_db}]}
                newest = store.edit(self.stored.id, store.get(self.stored.id).revision, parse_action(action))
            for _ in range(3):
                hub.document_changed(self.stored.id)
            listening.send(type="play")
            self.assertEqual(listening.text("document")["revision"], self.stored.revision)
            self.assertEqual(listening.text("document")["revision"], newest.revision)
            np.testing.assert_array_equal(listening.sound(4096, epoch=1), self.signal[:, :4096])
            self.assertEqual({frame["revision"] for frame in listening.frames}, {newest.revision})
            self.assertNotIn("document", [text["type"] for text in listening.texts])


class RingingTest(LiveCase):
    def test_it_plays_until_what_rings_is_silent(self) -> None:
        echo = {"time_ms": 400.0, "feedback": 0.5}
        self.edit({"type": "add-processor", "strip": "noise", "processor": "delay", "params": echo})
        with self.connect() as socket:
            listening = Listening(socket)
            listening.text("transport")
            listening.send(type="play", at_s=1.9)
            self.assertTrue(listening.text("transport")["playing"])
            stopped = listening.text("transport")
        self.assertFalse(stopped["playing"])
        self.assertAlmostEqual(stopped["position_s"], 2.0, places=6)
        loud = [frame for frame in listening.frames if np.abs(frame["sound"]).max() > 10 ** (-90 / 20)]
        # From -10 dBFS or so, 6 dB less in every 0.4 s: under -90 dBFS after more than 4 s.
        self.assertGreater(loud[-1]["position"] / RATE_HZ, 6.0)
        self.assertLess(listening.frames[-1]["position"] / RATE_HZ, 12.0)
