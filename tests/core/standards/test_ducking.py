"""A keyed compressor ducks by its static curve, and a key that is not heard does not leak.

Levels are arithmetic on the hard-knee curve, (1 - 1 / R)(L - T), of D. Giannoulis, M. Massberg and J. Reiss, "Digital
dynamic range compressor design", JAES 60(6), 2012. Ratios and times of ducking: common practice, no source.
"""

import unittest
from typing import Any

import numpy as np

from gemischt.core.units import db_to_gain
from tests.support.sessions import Bench, compressor
from tests.support.signals import RATE_HZ, Signal, peak_db, sine, steps

N = 2 * RATE_HZ
SETTLED = slice(RATE_HZ, N)


def square(level_dbfs: float, length_s: float) -> Signal:
    """1 kHz: a peak detector never falls between two of its peaks."""
    wave = db_to_gain(level_dbfs) * np.where(np.arange(round(length_s * RATE_HZ)) % 48 < 24, 1.0, -1.0)
    return np.tile(wave, (2, 1))


def ducked(key: Signal, programme: Signal | None = None, **params: Any) -> Signal:
    """A programme under a compressor whose key is a track that plays nowhere."""
    bench = Bench()
    bench.track("key", key, output=None)
    settings = {"threshold_db": -30.0, "knee_db": 0.0, "attack_ms": 1.0, "release_ms": 50.0} | params
    chain = [compressor(key={"source": "key"}, **settings)]
    bench.track("bass", sine(60, -12, 2.0) if programme is None else programme, chain=chain)
    return bench.render(N)


class DuckingTest(unittest.TestCase):
    def test_depth_by_level_of_the_key_and_ratio(self) -> None:
        for ratio, depths_db in ((4.0, (9.0, 13.5, 18.0, 22.5)), (5.0, (9.6, 14.4, 19.2, 24.0))):
            for key_dbfs, depth_db in zip((-18.0, -12.0, -6.0, 0.0), depths_db, strict=True):
                with self.subTest(ratio=ratio, key_dbfs=key_dbfs):
                    out = ducked(square(key_dbfs, 2.0), ratio=ratio)
                    self.assertAlmostEqual(peak_db(out[:, SETTLED]), -12.0 - depth_db, delta=0.05)

    def test_the_programme_s_own_level_does_not_matter(self) -> None:
        for level_dbfs in (-40.0, -12.0, 0.0):
            out = ducked(square(-6.0, 2.0), sine(60, level_dbfs, 2.0), ratio=4.0)
            self.assertAlmostEqual(peak_db(out[:, SETTLED]), level_dbfs - 18.0, delta=0.05)

    def test_a_key_under_the_threshold_does_nothing(self) -> None:
        out = ducked(square(-30.5, 2.0), ratio=4.0)
        self.assertAlmostEqual(peak_db(out), -12.0, delta=1e-3)

    def test_a_key_that_is_not_heard_leaks_nothing(self) -> None:
        out = ducked(square(0.0, 2.0), np.zeros((2, N)), ratio=4.0)
        self.assertFalse(np.any(out))

    def test_a_duck_comes_back_with_its_release(self) -> None:
        # Reduction falls by exp(-t / tau): 22.5 dB are within 3 dB after tau ln 7.5, within 1 dB after tau ln 22.5.
        carrier = np.full((2, N), db_to_gain(-12.0))
        key = np.concatenate([square(0.0, 1.0), np.zeros((2, RATE_HZ))], axis=1)
        for release_ms in (40.0, 50.0, 140.0):
            out = ducked(key, carrier, ratio=4.0, release_ms=release_ms)[0, RATE_HZ:]
            below_db = -12.0 - 20 * np.log10(np.abs(out))
            for within_db in (3.0, 1.0):
                with self.subTest(release_ms=release_ms, within_db=within_db):
                    expected_ms = release_ms * np.log(22.5 / within_db)
                    found_ms = 1000.0 * np.argmax(below_db < within_db) / RATE_HZ
                    self.assertAlmostEqual(found_ms, expected_ms, delta=0.5)

    def test_each_hit_of_a_pattern_ducks_alike(self) -> None:
        # Four to the bar at 120 bpm; with a release of 50 ms half a second is ten time constants.
        hit = steps((-6.0, 0.05), (-np.inf, 0.45))
        out = ducked(np.tile(hit, (1, 4)), np.full((2, N), 0.25), ratio=4.0)[0]
        depths = [20 * np.log10(out[start : start + N // 4].min() / 0.25) for start in range(0, N, N // 4)]
        np.testing.assert_allclose(depths, depths[0], atol=0.01)
        self.assertLess(depths[0], -15.0)


class KeyLevelTest(unittest.TestCase):
    def reduction_db(self, tap: str, *, channels: int) -> float:
        """Of a key at -12 dBFS into a threshold of -30: 18 dB with an endless ratio (arithmetic)."""
        bench = Bench()
        bench.track("key", np.full((channels, 9600), 10 ** (-12 / 20)))
        duck = compressor(key={"from": "key", "tap": tap}, threshold_db=-30, ratio=None, knee_db=0, attack_ms=0)
        bench.track("target", np.full((2, 9600), 0.1), chain=[duck])
        renderer = bench.renderer()
        renderer.render(4800)
        return float(renderer.plan.reductions_db(512).max())

    def test_a_key_hears_its_tap_as_it_is(self) -> None:
        # The session format: no pan law in front of the fader, -3.01 dB on each side behind it for one channel.
        cases = (("pre-chain", 1, 18.0), ("pre-fader", 1, 18.0), ("post-fader", 1, 14.99), ("pre-fader", 2, 18.0))
        for tap, channels, reduction_db in cases:
            with self.subTest(tap=tap, channels=channels):
                self.assertAlmostEqual(self.reduction_db(tap, channels=channels), reduction_db, places=2)


class LookaheadTest(unittest.TestCase):
    def test_the_reduction_lasts_until_the_end_of_what_was_loud(self) -> None:
        loud = np.full((2, RATE_HZ), 0.01)
        loud[:, 9600:19200] = 0.5
        for lookahead_ms in (1.0, 5.0, 20.0):
            for release_ms in (1.0, 40.0):
                with self.subTest(lookahead_ms=lookahead_ms, release_ms=release_ms):
                    params = {"lookahead_ms": lookahead_ms, "release_ms": release_ms, "attack_ms": 0.1, "knee_db": 0}
                    bench = Bench()
                    bench.track("loud", loud, chain=[compressor(threshold_db=-26.0, ratio=None, **params)])
                    renderer = bench.renderer()
                    out = renderer.render(30000)[0]
                    start = renderer.latency_samples + 9600
                    # -6 dBFS is held at the threshold to its last sample, then released.
                    np.testing.assert_allclose(out[start : start + 9600], 10 ** (-26 / 20), rtol=0.01)
                    self.assertGreater(out[start + 9600 + 9000], 0.0095)
