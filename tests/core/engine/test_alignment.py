"""Latency is compensated wherever paths meet: null tests."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.engine.tap_reader import Stretch, read_mix, read_tap
from tests.support.sessions import Bench, compressor
from tests.support.signals import RATE_HZ, Signal, noise

N = 9600
# A compressor that only delays: 7 ms of lookahead, ratio 1.
LATE = compressor("late", ratio=1.0, lookahead_ms=7.0)
LATE_SAMPLES = 336


def aligned(bench: Bench, n_samples: int = N) -> Signal:
    blocks = read_mix(bench.session(), bench.media, Stretch(0, n_samples))
    return np.concatenate([block.copy() for block in blocks], axis=1)


class AlignmentTest(unittest.TestCase):
    def test_output_is_aligned_to_the_song(self) -> None:
        signal = noise(0.5)
        bench = Bench()
        bench.track("a", signal, chain=[LATE])
        self.assertEqual(bench.renderer().latency_samples, LATE_SAMPLES)
        np.testing.assert_allclose(aligned(bench), signal.astype(np.float32)[:, :N], atol=1e-12)

    def test_two_tracks_null(self) -> None:
        signal = noise(0.5)
        bench = Bench()
        bench.track("slow", signal, chain=[LATE])
        bench.track("fast", signal, polarity_inverted=True)
        self.assertLess(np.abs(aligned(bench)).max(), 1e-12)

    def test_sends_buses_and_returns_null(self) -> None:
        signal = noise(0.5)
        bench = Bench()
        bench.track("a", signal, output="bus", sends=[{"id": "s", "to": "return"}])
        bench.bus("bus", chain=[LATE], polarity_inverted=True)
        bench.bus("return", kind="return")
        self.assertLess(np.abs(aligned(bench)).max(), 1e-12)

    def test_series_through_extra_buses_nulls(self) -> None:
        signal = noise(0.5)
        bench = Bench()
        bench.track("direct", signal, polarity_inverted=True)
        bench.track("long", signal, output="one")
        bench.bus("one", output="two", chain=[LATE])
        bench.bus("two", output="three")
        bench.bus("three", chain=[LATE])
        self.assertLess(np.abs(aligned(bench)).max(), 1e-12)

    def test_lanes_null(self) -> None:
        signal = noise(0.5)
        lanes: list[dict[str, Any]] = [
            {"id": "clean", "name": "Clean"},
            {"id": "late", "name": "Late", "polarity_inverted": True, "chain": [LATE]},
        ]
        bench = Bench()
        bench.track("a", signal, chain=[{"id": "p", "type": "parallel", "lanes": lanes}])
        self.assertLess(np.abs(aligned(bench)).max(), 1e-12)

    def test_a_bypassed_processor_keeps_its_place_in_time(self) -> None:
        signal = noise(0.5)
        bench = Bench()
        bench.track("slow", signal, chain=[LATE | {"on": False}])
        bench.track("fast", signal, polarity_inverted=True)
        self.assertLess(np.abs(aligned(bench)).max(), 1e-12)

    def test_a_key_arrives_with_the_signal_it_turns_down(self) -> None:
        # The same burst on trigger and target; either may be late. The duck must begin on the burst's first sample.
        burst = np.zeros((2, N))
        burst[:, 4800:4900] = 0.5
        steady = np.full((2, N), 0.25)
        duck = compressor("duck", key={"from": "trigger"}, threshold_db=-30, ratio=None, knee_db=0, attack_ms=0)
        for late_strip in ("trigger", "target", "neither"):
            with self.subTest(late=late_strip):
                bench = Bench()
                bench.track("trigger", burst, output=None, chain=[LATE] if late_strip == "trigger" else [])
                bench.track("target", steady, chain=[LATE, duck] if late_strip == "target" else [duck])
                out = aligned(bench)[0]
                np.testing.assert_allclose(out[4700:4800], 0.25, atol=1e-6)
                self.assertLess(out[4800], 0.25 * 10 ** (-20 / 20))

    def test_a_muted_trigger_still_triggers(self) -> None:
        bench = Bench()
        bench.track("trigger", noise(0.5, level=0.5), mute=True)
        bench.track(
            "target", np.full((2, N), 0.25), chain=[compressor(key={"from": "trigger"}, threshold_db=-40, ratio=None)]
        )
        out = aligned(bench)
        self.assertLess(out[0, -1], 0.1)
        self.assertGreater(out[0, -1], 0.0)

    def test_a_key_after_the_fader_follows_the_mute(self) -> None:
        bench = Bench()
        bench.track("trigger", noise(0.5, level=0.5), mute=True)
        key = {"from": "trigger", "tap": "post-fader"}
        bench.track("target", np.full((2, N), 0.25), chain=[compressor(key=key, threshold_db=-40, ratio=None)])
        np.testing.assert_allclose(aligned(bench)[0], 0.25, atol=1e-6)

    def test_the_key_itself_is_not_heard(self) -> None:
        bench = Bench()
        bench.track("trigger", noise(0.5, level=0.5), output=None)
        bench.track("target", np.zeros((2, N)), chain=[compressor(key={"from": "trigger"})])
        self.assertFalse(np.any(aligned(bench)))

    def test_the_detector_filter_lets_only_its_range_trigger(self) -> None:
        times = np.arange(N) / RATE_HZ
        for frequency_hz, ducks in ((60.0, True), (2000.0, False)):
            with self.subTest(frequency_hz=frequency_hz):
                tone = 0.5 * np.sin(2 * np.pi * frequency_hz * times)
                bench = Bench()
                bench.track("trigger", np.stack([tone, tone]), output=None)
                cuts = {"low_cut_hz": 25.0, "high_cut_hz": 120.0}
                key = {"from": "trigger", "filter": cuts}
                bench.track("target", np.full((2, N), 0.25), chain=[compressor(key=key, threshold_db=-30, ratio=None)])
                self.assertEqual(aligned(bench)[0, -1] < 0.2, ducks)

    def test_a_stretch_is_what_the_whole_would_be_there(self) -> None:
        bench = Bench()
        bench.track("a", noise(1.0), chain=[compressor(threshold_db=-30), LATE])
        whole = aligned(bench, 40000)
        blocks = read_mix(bench.session(), bench.media, Stretch(20000, 30000))
        part = np.concatenate([block.copy() for block in blocks], axis=1)
        np.testing.assert_allclose(part, whole[:, 20000:30000], atol=1e-12)


class TapsTest(unittest.TestCase):
    def test_every_tap_is_aligned_to_the_song_from_anywhere_in_it(self) -> None:
        signal = noise(1.0).astype(np.float32).astype(np.float64)
        bench = Bench()
        bench.track("a", signal, chain=[LATE], trim_db=-6.0, fader_db=-6.0, output="bus")
        bench.bus("bus", chain=[LATE])
        gain = 10 ** (-6 / 20)
        expected = {"a/source": 1.0, "a/work": gain, "a/post-fader": gain**2, "bus/work": gain**2, "mix/work": gain**2}
        for buffer, level in expected.items():
            for start, end in ((0, 5000), (20001, 27003)):
                with self.subTest(buffer=buffer, start=start):
                    renderer = bench.renderer(max_block=512)
                    blocks = read_tap(renderer, Stretch(start, end), buffer)
                    out = np.concatenate([block.copy() for block in blocks], axis=1)
                    np.testing.assert_allclose(out, level * signal[:, start:end], atol=1e-12)
