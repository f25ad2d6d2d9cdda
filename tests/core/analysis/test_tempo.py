"""The estimate of a tempo: exact for steady clicks, and none for what has no beat."""

import unittest

import numpy as np
from scipy import signal

from gemischt.core.analysis.tempo import RATE_HZ, estimate_tempo
from tests.support.signals import clicks


def beats(bpm: float, first_s: float = 0.0) -> np.ndarray:
    return clicks(bpm, first_s=first_s, rate_hz=RATE_HZ)[0]


class TempoTest(unittest.TestCase):
    def test_steady_clicks_within_half_a_percent_from_60_to_200(self) -> None:
        for bpm, first_s in (
            (60.0, 0.0),
            (71.3, 0.4),
            (96.0, 1.0),
            (120.0, 0.0),
            (150.7, 0.2),
            (185.0, 0.0),
            (200.0, 0.1),
        ):
            with self.subTest(bpm):
                found = estimate_tempo(beats(bpm, first_s), RATE_HZ)
                assert found is not None
                self.assertLess(abs(found.bpm / bpm - 1.0), 0.005)
                self.assertGreater(found.confidence, 0.95)
                self.assertAlmostEqual(found.first_beat_s, first_s, delta=0.01)

    def test_clicks_in_a_bed_of_noise(self) -> None:
        noise = 0.02 * np.random.default_rng(5).normal(size=16 * RATE_HZ)
        found = estimate_tempo(beats(104.0) + noise, RATE_HZ)
        assert found is not None
        self.assertLess(abs(found.bpm / 104.0 - 1.0), 0.005)

    def test_beats_that_drift_are_less_sure_than_steady_ones(self) -> None:
        times_s = np.cumsum(0.5 + 0.08 * np.random.default_rng(2).normal(size=30))
        wave = np.zeros(16 * RATE_HZ)
        for at_s in times_s[times_s < 15.0]:
            wave[round(at_s * RATE_HZ)] = 1.0
        found = estimate_tempo(signal.lfilter([1.0], [1.0, -0.9], wave), RATE_HZ)
        self.assertTrue(found is None or found.confidence < 0.7, found)

    def test_what_has_no_beat_gives_none(self) -> None:
        long = np.arange(10 * RATE_HZ)
        cases = {
            "silence": np.zeros(10 * RATE_HZ),
            "nothing": np.zeros(0),
            "a tone": np.sin(0.1 * long),
            "noise": 0.1 * np.random.default_rng(1).normal(size=10 * RATE_HZ),
        }
        for name, wave in cases.items():
            with self.subTest(name):
                self.assertIsNone(estimate_tempo(wave, RATE_HZ))


if __name__ == "__main__":
    unittest.main()
