"""Drawn ducks and ghosts, checked on the samples."""

import math
import unittest
from typing import Any

import numpy as np

from gemischt.core.dsp.ducking import add_clicks
from gemischt.core.engine.clocks import click_wave
from gemischt.core.session.ducks import Click
from tests.support.sessions import Bench, silence
from tests.support.signals import RATE_HZ, Signal, sine

RAMP = [{"at": 0.0, "open": 0.0}, {"at": 0.5, "open": 1.0}]
WAY = 48
"""Samples of the way to a curve that begins anew, one millisecond."""


def duck(*targets: dict[str, Any], **fields: Any) -> dict[str, Any]:
    """A duck as the document holds it."""
    numbered = [{"id": f"t{number}", "strip": "tone"} | target for number, target in enumerate(targets)]
    return {"id": "d", "name": "Tide", "curve": RAMP, "targets": numbered} | fields


def ones(length_s: float) -> Signal:
    return np.ones((2, round(length_s * RATE_HZ)))


def turned(signal: Signal, *ducks: dict[str, Any], blocks: int = 512, **fields: Any) -> Signal:
    """What a session of one track makes of it; the gain itself where the track is all ones."""
    bench = Bench(ducks=list(ducks), **fields)
    bench.track("tone", signal)
    return bench.render(signal.shape[1], max_block=blocks)


def straight(n: Signal, length: float) -> Signal:
    """How open the ramp is n samples after its tick."""
    return np.asarray(np.clip(2.0 * n / length, 0.0, 1.0))


class DrawnDuckTest(unittest.TestCase):
    def test_its_gain_follows_the_curve_to_the_sample(self) -> None:
        # 120 bpm: a quarter is 24,000 samples. Closed form: depth times what is closed, in dB.
        out = turned(ones(2.0), duck({"depth_db": -24.0}))
        n = np.arange(out.shape[1]) % 24000
        wanted = 10 ** (-24.0 * (1.0 - straight(n, 24000.0)) / 20)
        away = n >= WAY
        np.testing.assert_allclose(out[0, away], wanted[away], rtol=2e-7)
        # The way to a new beginning is a half cosine, in how open it is.
        opened = straight(np.arange(WAY), 24000.0)
        way = 1.0 + (0.5 - 0.5 * np.cos(np.pi * np.arange(WAY) / WAY)) * (opened - 1.0)
        np.testing.assert_allclose(out[0, :WAY], 10 ** (-24.0 * (1.0 - way) / 20), rtol=2e-7)

    def test_depth_to_silence_is_the_curve_itself_and_bends(self) -> None:
        curve = [{"at": 0.0, "open": 0.0, "bend": 0.5}, {"at": 1.0, "open": 1.0}]
        out = turned(ones(1.0), duck({"depth_db": None}, curve=curve))
        n = np.arange(24000) / 24000
        wanted = np.expm1(4.0 * n) / math.expm1(4.0)
        np.testing.assert_allclose(out[0, WAY:24000], wanted[WAY:], atol=1e-12)

    def test_ticks_follow_the_tempo_inside_the_song(self) -> None:
        tempo = [{"bpm": 120.0}, {"at_s": 1.25, "bpm": 60.0}]
        out = turned(ones(4.0), duck({"depth_db": -12.0}), tempo=tempo)
        # Quarters at 0, 0.5, 1.0; then half a quarter at 60 bpm is left: 1.75 s, and one more a second later.
        for at_s in (0.5, 1.0, 1.75, 2.75, 3.75):
            at = round(at_s * RATE_HZ)
            with self.subTest(at_s):
                self.assertAlmostEqual(out[0, at - 1], 1.0, places=6)
                self.assertLess(out[0, at + WAY], 0.27)

    def test_blocks_do_not_matter(self) -> None:
        signal = sine(1000.0, -6.0, 1.0)
        ducks = (duck({"band": "below"}), duck({"depth_db": None}, id="e", clock={"kind": "repeat", "note": "1/8T"}))
        whole = turned(signal, *ducks, blocks=4096)
        for blocks in (1, 7, 64, 1000):
            with self.subTest(blocks):
                length = 3000 if blocks == 1 else signal.shape[1]
                np.testing.assert_array_equal(turned(signal, *ducks, blocks=blocks)[:, :length], whole[:, :length])

    def test_down_to_silence_and_back_does_not_click(self) -> None:
        # Largest second difference: no more than twice the undisturbed one's, outside the curve's own slope.
        signal = sine(1000.0, 0.0, 2.0)
        undisturbed = np.abs(np.diff(signal[0], 2)).max()
        curve = [{"at": 0.0, "open": 0.0}, {"at": 0.4, "open": 0.0, "bend": 0.3}, {"at": 1.0, "open": 1.0}]
        for at in ("pre-chain", "pre-fader", "post-fader"):
            out = turned(signal, duck({"depth_db": None, "at": at}, curve=curve))
            with self.subTest(at):
                self.assertLess(np.abs(np.diff(out[0], 2)).max(), 2.0 * undisturbed)
                self.assertEqual(np.abs(out[0, 24000 + WAY : 24000 + 9000]).max(), 0.0)

    def test_one_side_of_a_crossover(self) -> None:
        # Linkwitz-Riley at 100 Hz, low side silent, from check values (closed form |HP|^2 of a Butterworth pair).
        shut = [{"at": 0.0, "open": 0.0}]
        for frequency_hz, wanted_db in ((25.0, -48.20), (50.0, -24.61), (80.0, -10.73), (100.0, -6.02), (200.0, -0.53)):
            signal = sine(frequency_hz, 0.0, 2.0)
            target = {"depth_db": None, "band": "below", "crossover_hz": 100.0}
            out = turned(signal, duck(target, curve=shut))
            steady = slice(RATE_HZ, 2 * RATE_HZ)
            level_db = 20 * np.log10(np.std(out[0, steady]) / np.std(signal[0, steady]))
            with self.subTest(frequency_hz):
                self.assertAlmostEqual(level_db, wanted_db, delta=0.02)

    def test_an_open_duck_at_a_crossover_leaves_the_magnitude(self) -> None:
        impulse = silence(RATE_HZ)
        impulse[:, 0] = 1.0
        opened = [{"at": 0.0, "open": 1.0}]
        out = turned(impulse, duck({"band": "above", "crossover_hz": 250.0}, curve=opened))
        magnitude_db = 20 * np.log10(np.abs(np.fft.rfft(out[0])))
        band = slice(20, 20000)
        self.assertLess(np.abs(magnitude_db[band]).max(), 0.01)

    def test_written_notes_tick_and_leave_a_bar_out(self) -> None:
        clock = {"kind": "notes", "notes": [{"at_s": 0.5}, {"at_s": 2.5}]}
        out = turned(ones(4.0), duck({"depth_db": -20.0}, clock=clock, length={"ms": 400.0}))
        shut = np.flatnonzero(out[0] < 0.999)
        self.assertEqual(shut[0], 24001)
        self.assertTrue(np.all(out[0, 24000 + 9600 : 120000] > 0.999999))
        np.testing.assert_allclose(out[0, 24000 + WAY : 40000], out[0, 120000 + WAY : 136000], rtol=1e-12)

    def test_hits_of_a_strip_start_it_to_the_sample_and_a_tail_does_not_start_it_again(self) -> None:
        trigger = silence(3 * RATE_HZ)
        for at in (10000, 60000, 100000):
            tail = np.exp(-np.arange(8000) / 2000) * np.sin(2 * np.pi * 60.0 * np.arange(8000) / RATE_HZ + np.pi / 2)
            trigger[:, at : at + 8000] += tail
        bench = Bench(ducks=[duck({"depth_db": None}, clock={"kind": "hits", "from": "kick"}, length={"ms": 100.0})])
        bench.track("tone", ones(3.0))
        bench.track("kick", trigger, output=None)
        out = bench.render(3 * RATE_HZ)
        begins = np.flatnonzero((out[0, 1:] < 1.0) & (out[0, :-1] == 1.0)) + 1
        self.assertEqual(begins.tolist(), [10001, 60001, 100001])

    def test_a_target_that_is_late_waits_for_nobody_and_its_curve_for_it(self) -> None:
        limiter = {"id": "lim", "type": "limiter", "params": {}}
        bench = Bench(ducks=[duck({"depth_db": -24.0})])
        bench.track("tone", 0.1 * ones(2.0), chain=[limiter])
        renderer = bench.renderer()
        lag = renderer.latency_samples
        self.assertGreater(lag, 0)
        out = renderer.render(2 * RATE_HZ)[0, lag:] / 0.1
        n = np.arange(len(out)) % 24000
        away = (n >= WAY) & (np.arange(len(out)) > 24000)
        np.testing.assert_allclose(out[away], 10 ** (-24.0 * (1.0 - straight(n[away], 24000.0)) / 20), rtol=1e-4)

    def test_many_targets_share_one_curve_and_each_has_its_depth(self) -> None:
        targets = [{"strip": f"s{k}", "depth_db": -1.0 * k} for k in range(20)]
        bench = Bench(ducks=[duck(*targets, curve=[{"at": 0.0, "open": 0.0}])])
        for k in range(20):
            bench.track(f"s{k}", ones(0.5), output=None)
        renderer = bench.renderer()
        self.assertEqual(sum(id_.role.value == "open" for id_ in renderer.plan.operations), 1)
        renderer.render(4096)
        for k in range(20):
            level = renderer.plan.buffers[f"s{k}/post-fader"][0, 100]
            self.assertAlmostEqual(20 * math.log10(level), -1.0 * k, places=5)

    def test_it_stands_where_it_is_told_to_in_the_chain(self) -> None:
        # Before a gain of 20 dB and a limiter a duck is undone by the limiter; behind it, it is not.
        loud = {"id": "loud", "type": "gain", "params": {"level_db": 36.0}}
        limiter = {"id": "lim", "type": "limiter", "params": {}}
        levels = []
        for place in ({"before": "loud"}, {"at": "pre-fader"}):
            bench = Bench(ducks=[duck({"depth_db": -12.0} | place, curve=[{"at": 0.0, "open": 0.0}])])
            bench.track("tone", sine(500.0, -6.0, 2.0), chain=[loud, limiter])
            levels.append(20 * np.log10(np.abs(bench.render(2 * RATE_HZ)[:, RATE_HZ:]).max()))
        self.assertAlmostEqual(levels[0] - levels[1], 12.0, delta=0.2)

    def test_a_tap_before_the_fader_passes_a_duck_after_it_by(self) -> None:
        sends = [{"id": "s", "to": "hall", "tap": "pre-fader", "level_db": 0.0}]
        bench = Bench(ducks=[duck({"depth_db": None, "at": "post-fader"}, curve=[{"at": 0.0, "open": 0.0}])])
        bench.track("tone", ones(0.5), sends=sends)
        bench.bus("hall", kind="return")
        np.testing.assert_allclose(bench.render(4096)[:, WAY:], 1.0)

    def test_its_switch_and_depth_move_over_the_song(self) -> None:
        move = {"target": "ducks/d/on", "points": [{"at_s": 0.0, "value": False}, {"at_s": 1.0, "value": True}]}
        deeper = {
            "target": "ducks/d/targets/t0/depth_db",
            "points": [{"at_s": 0.0, "value": -6.0}, {"at_s": 2.0, "value": -18.0}],
        }
        shut = [{"at": 0.0, "open": 0.0}]
        out = turned(ones(2.0), duck({"depth_db": -1.0}, curve=shut), moves=[move, deeper])
        np.testing.assert_array_equal(out[0, : RATE_HZ - 10], 1.0)
        self.assertAlmostEqual(20 * math.log10(out[0, int(1.5 * RATE_HZ)]), -15.0, places=2)

    def test_an_edit_of_curve_and_depth_while_it_sounds_does_not_click(self) -> None:
        signal = sine(1000.0, 0.0, 2.0)
        bench = Bench(ducks=[duck({"depth_db": None})])
        bench.track("tone", signal)
        renderer = bench.renderer(max_block=256)
        parts = []
        for step in range(24):
            curve = [{"at": 0.0, "open": 0.0}, {"at": 0.2 + 0.03 * step, "open": 1.0}]
            bench.fields["ducks"] = [duck({"depth_db": -3.0 * step}, curve=curve)]
            renderer.edit(bench.session(), bench.media)
            parts.append(renderer.render(1500))
        out = np.concatenate(parts, axis=1)
        self.assertLess(np.abs(np.diff(out[0], 2)).max(), 2.0 * np.abs(np.diff(signal[0], 2)).max())


class GhostClickTest(unittest.TestCase):
    def test_steps_click_on_the_beat_and_are_not_heard(self) -> None:
        pattern = {"kind": "steps", "note": "1/16", "steps": [1.0, 0.0, 0.5, 0.0]}
        bench = Bench()
        bench.strips.append({"id": "tick", "kind": "ghost", "name": "Tick", "pattern": pattern})
        renderer = bench.renderer(max_block=48000)
        out = renderer.render(48000)
        self.assertEqual(np.abs(out).max(), 0.0)
        clicks = renderer.plan.buffers["tick/source"][0]
        loud = np.flatnonzero(np.abs(clicks) > 0.2)
        begins = loud[np.diff(loud, prepend=-1000) > 500]
        self.assertEqual(begins.tolist(), [6000 * k for k in (0, 2, 4, 6)])
        self.assertAlmostEqual(clicks[0], 10 ** (-6 / 20))
        self.assertAlmostEqual(clicks[12000], 0.5 * 10 ** (-6 / 20))

    def test_its_clicks_start_a_duck_that_a_drum_with_a_tail_would_start_late(self) -> None:
        pattern = {"kind": "steps", "note": "1/4"}
        bench = Bench(ducks=[duck({"depth_db": -20.0}, clock={"kind": "hits", "from": "tick"}, length="1/8")])
        bench.track("tone", ones(2.0))
        bench.strips.append({"id": "tick", "kind": "ghost", "name": "Tick", "pattern": pattern})
        out = bench.render(2 * RATE_HZ)
        regular = turned(ones(2.0), duck({"depth_db": -20.0}, length="1/8"))
        # The first one has to be gone to: there was no tick before the song.
        np.testing.assert_allclose(out[:, WAY:], regular[:, WAY:], rtol=1e-12)

    def test_a_click_that_is_cut_by_blocks_is_the_same(self) -> None:
        wave = click_wave(Click(), RATE_HZ)
        whole, cut = np.zeros((1, 1000)), np.zeros((1, 1000))
        starts, velocities = np.array([100, 300]), np.array([1.0, 0.3])
        add_clicks(whole, 1000, 0, starts, velocities, wave)
        for first in range(0, 1000, 37):
            n_samples = min(37, 1000 - first)
            part = np.zeros((1, n_samples))
            add_clicks(part, n_samples, first, starts, velocities, wave)
            cut[:, first : first + n_samples] = part
        np.testing.assert_array_equal(whole, cut)


if __name__ == "__main__":
    unittest.main()
