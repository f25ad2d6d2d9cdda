"""Listening and comparing: what the ear gets is turned, summed or another session; what is printed is not."""

import io

import numpy as np
import soundfile

from gemischt.core.session.actions import parse_action
from gemischt.core.space.fold_down import matrix_between
from gemischt.core.space.headphones import Headphones
from gemischt.core.space.layout import layout_named
from gemischt.live.monitor import Monitor
from tests.api.test_api import mix_print
from tests.live.test_live import Listening, LiveCase
from tests.support.signals import Signal, noise, sine

# Behind the glide that switching takes.
SETTLED = slice(2000, 20000)


class MonitorTest(LiveCase):
    def test_each_way_to_listen(self) -> None:
        left, right = self.signal[:, SETTLED].astype(np.float64)
        middle, side = (left + right) / 2, (left - right) / 2
        expected = [
            ("stereo", False, (left, right)),
            ("mono", False, (middle, middle)),
            ("left", False, (left, left)),
            ("right", False, (right, right)),
            ("mid", False, (middle, middle)),
            ("side", False, (side, side)),
            ("stereo", True, (0.1 * left, 0.1 * right)),
        ]
        with self.connect() as socket:
            listening = Listening(socket)
            listening.send(type="loop", stretch_s=[0.0, 1.0])
            for epoch, (mode, dim, channels) in enumerate(expected, start=1):
                with self.subTest(mode, dim=dim):
                    listening.send(type="listen", mode=mode, dim=dim)
                    listening.send(type="play", at_s=0.0)
                    heard = listening.sound(20000, epoch)[:, SETTLED]
                    np.testing.assert_allclose(heard, np.stack(channels), atol=1e-6)

    def test_a_wide_mix_is_heard_folded_down(self) -> None:
        bed = np.concatenate([noise(1.0, seed=k, channels=1) for k in range(6)]).astype(np.float32)
        stored = self.new_session(bed=bed)
        wide = {"type": "set-strips", "changes": [{"strip": "mix", "layout": "5.1"}]}
        self.stored = self.workspace.sessions.edit(stored.id, stored.revision, parse_action(wide))
        folded = matrix_between(layout_named("5.1"), layout_named("stereo")) @ bed
        left, right = folded[:, SETTLED]
        with self.connect() as socket:
            listening = Listening(socket)
            listening.send(type="loop", stretch_s=[0.0, 1.0])
            for epoch, (mode, expected) in enumerate((("stereo", (left, right)), ("mid", (left + right) / 2)), start=1):
                listening.send(type="listen", mode=mode, dim=False)
                listening.send(type="play", at_s=0.0)
                heard = listening.sound(20000, epoch)[:, SETTLED]
                np.testing.assert_allclose(heard, np.broadcast_to(expected, heard.shape), atol=1e-6)

    def test_a_bed_on_headphones(self) -> None:
        """What both ears hear of it; going there and back is no step."""
        bed = np.tile(sine(100.0, -20.0, 1.0, channels=1), (6, 1)).astype(np.float32)
        monitor, layout = Monitor(512, 48000), layout_named("5.1")
        blocks = [bed[:, at : at + 512].astype(np.float64) for at in range(0, 40960, 512)]
        heard = []
        for index, block in enumerate(blocks):
            if index in (20, 60):
                monitor.set("headphones" if index == 20 else "stereo", dim=False, offset_db=0.0)
            heard.append(monitor.process(block, layout))
        ears = Headphones("5.1", 48000).process(np.concatenate(blocks, axis=1))
        folded = matrix_between(layout, layout_named("stereo")) @ np.concatenate(blocks, axis=1)
        whole = np.concatenate(heard, axis=1)
        np.testing.assert_allclose(whole[:, : 20 * 512], folded[:, : 20 * 512], atol=1e-12)
        np.testing.assert_allclose(whole[:, 23 * 512 : 60 * 512], ears[:, 23 * 512 : 60 * 512], atol=1e-9)
        np.testing.assert_allclose(whole[:, 62 * 512 :], folded[:, 62 * 512 :], atol=1e-12)
        steepest = max(float(np.abs(np.diff(sound, n=2)).max()) for sound in (ears[:, 512:], folded))
        self.assertLess(float(np.abs(np.diff(whole, n=2)).max()), steepest + 2e-4)

    def test_none_of_it_is_printed(self) -> None:
        with self.connect() as socket:
            listening = Listening(socket)
            listening.send(type="listen", mode="side", dim=True)
            listening.send(type="loop", stretch_s=[0.0, 1.0])
            listening.send(type="play", at_s=0.0)
            listening.sound(4096, epoch=1)
            prints = f"/api/sessions/{self.stored.id}/prints"
            job = self.client.post(prints, json={"orders": [mix_print(format="wav-32f")]}).json()
            while job["state"] in ("waiting", "running"):
                listening.take()
                job = self.client.get(f"/api/jobs/{job['id']}").json()
            (file,) = self.client.get(prints).json()
        content = self.client.get(f"/api/prints/{file['file_name']}").content
        printed, _ = soundfile.read(io.BytesIO(content), dtype="float32", always_2d=True)
        np.testing.assert_array_equal(printed.T[:, SETTLED], self.signal[:, SETTLED])


class ComparisonTest(LiveCase):
    def snapshot(self) -> str:
        answer = self.client.post(f"/api/sessions/{self.stored.id}/snapshots", json={"name": "Before"})
        self.assertEqual(answer.status_code, 201)
        identity: str = answer.json()["id"]
        return identity

    def both(self, listening: Listening, n_samples: int) -> tuple[Signal, Signal]:
        """The session's sound and what it is compared with, once both come."""
        blocks: list[Signal] = []
        while sum(block.shape[1] for block in blocks) < n_samples:
            frame = listening.take()
            if frame is not None and frame["sound"] is not None and len(frame["all_sound"]) == 4:
                blocks.append(frame["all_sound"])
        joined = np.concatenate(blocks, axis=1)[:, 1000:]
        return joined[:2], joined[2:]

    def test_a_snapshot_runs_alongside_to_the_sample(self) -> None:
        snapshot = self.snapshot()
        self.edit({"type": "set-strips", "changes": [{"strip": "noise", "fader_db": -6.0}]})
        with self.connect() as socket:
            listening = Listening(socket)
            listening.send(type="loop", stretch_s=[0.0, 1.5])
            listening.send(type="compare", snapshot=snapshot, offset_db=-6.0)
            listening.send(type="play", at_s=0.1)
            now, then = self.both(listening, 20000)
        np.testing.assert_allclose(then, now, atol=1e-6)
        self.assertGreater(float(np.abs(now).max()), 0.05)

    def test_an_edit_is_heard_before_it_is_made(self) -> None:
        with self.connect() as socket:
            listening = Listening(socket)
            listening.send(type="loop", stretch_s=[0.0, 1.0])
            mute = {"type": "set-strips", "changes": [{"strip": "noise", "mute": True}]}
            listening.send(type="play", at_s=0.1)
            listening.send(type="audition", action=mute, offset_db=0.0)
            now, then = self.both(listening, 20000)
        self.assertGreater(float(np.abs(now).max()), 0.05)
        self.assertFalse(then[:, 4000:].any())

    def test_ending_it_sends_one_sound_again(self) -> None:
        with self.connect() as socket:
            listening = Listening(socket)
            listening.send(type="compare", snapshot=self.snapshot())
            listening.send(type="loop", stretch_s=[0.0, 1.0])
            listening.send(type="play", at_s=0.1)
            self.both(listening, 4000)
            listening.send(type="compare", snapshot=None)
            for _ in range(200):
                frame = listening.take()
                if frame is not None and len(frame["all_sound"]) == 2:
                    return
        self.fail("both were sent to the end")

    def test_a_snapshot_that_is_not_there_is_said(self) -> None:
        with self.connect() as socket:
            listening = Listening(socket)
            listening.send(type="compare", snapshot="none")
            self.assertEqual(listening.text("error")["what"], "no such snapshot")
