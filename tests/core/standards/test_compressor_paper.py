"""The compressor against Giannoulis, Massberg and Reiss, JAES 60(6), 2012.

Static curve: eq. 4, its values also found by integrating a linearly varying slope. Ballistics: smoothing of the
reduction in dB with separate attack and release.
"""

import unittest

import numpy as np

from gemischt.core.processors.compressor import static_curve_db
from gemischt.core.processors.compressor_params import CompressorParams
from tests.support.places import Alone
from tests.support.signals import RATE_HZ, noise

INPUTS_DB = np.array([-30, -25, -24, -22, -20, -18, -15, -12, -10, -6, -3, 0], dtype=float)
CURVES = {
    (-20, 4, 0): (-30, -25, -24, -22, -20, -19.5, -18.75, -18, -17.5, -16.5, -15.75, -15),
    (-20, 4, 6): (-30, -25, -24, -22.0625, -20.5625, -19.5625, -18.75, -18, -17.5, -16.5, -15.75, -15),
    (-20, 4, 10): (-30, -25, -24.0375, -22.3375, -20.9375, -19.8375, -18.75, -18, -17.5, -16.5, -15.75, -15),
    (-24, 2, 6): (-30, -25.1667, -24.375, -23.0417, -22, -21, -19.5, -18, -17, -15, -13.5, -12),
    (-18, 3, 12): (-30, -25, -24, -22.1111, -20.4444, -19, -17.25, -16, -15.3333, -14, -13, -12),
    (-30, 5, 0): (-30, -29, -28.8, -28.4, -28, -27.6, -27, -26.4, -26, -25.2, -24.6, -24),
    (-10, None, 0): (-30, -25, -24, -22, -20, -18, -15, -12, -10, -10, -10, -10),
    (-10, None, 4): (-30, -25, -24, -22, -20, -18, -15, -12, -10.5, -10, -10, -10),
}


def processor(params: CompressorParams, *, n_channels: int = 1, max_block: int = 96000) -> Alone:
    made = Alone("compressor", n_channels=n_channels, max_block=max_block, n_detected=n_channels)
    made.set(params)
    return made


def constant(level_dbfs: float, n_samples: int) -> np.ndarray:
    return np.full((1, n_samples), 10 ** (level_dbfs / 20))


class StaticCurveTest(unittest.TestCase):
    def test_published_curves(self) -> None:
        for (threshold, ratio, knee), outputs_db in CURVES.items():
            with self.subTest(threshold=threshold, ratio=ratio, knee=knee):
                params = CompressorParams(threshold_db=threshold, ratio=ratio, knee_db=knee)
                np.testing.assert_allclose(static_curve_db(params, INPUTS_DB), outputs_db, atol=1e-4)

    def test_steady_signal_follows_the_curve(self) -> None:
        params = CompressorParams(threshold_db=-20, ratio=4, knee_db=6, attack_ms=0, release_ms=0)
        for level_db, expected_db in zip(INPUTS_DB, CURVES[(-20, 4, 6)], strict=True):
            with self.subTest(level_db=level_db):
                audio = constant(level_db, 512)
                processor(params).process(audio, audio.copy(), 512)
                self.assertAlmostEqual(20 * np.log10(audio[0, -1]), expected_db, places=4)

    def test_range_limits_the_reduction(self) -> None:
        params = CompressorParams(threshold_db=-30, ratio=None, knee_db=0, range_db=6.0)
        got = static_curve_db(params, np.array([-40.0, -27.0, -6.0]))
        np.testing.assert_allclose(got, [-40.0, -30.0, -12.0], atol=1e-6)


class BallisticsTest(unittest.TestCase):
    def test_published_run(self) -> None:
        # T -20, ratio 4, hard knee, attack 10 ms, release 100 ms; -40 -> 0 -> -40 dBFS.
        params = CompressorParams(threshold_db=-20, ratio=4, knee_db=0, attack_ms=10, release_ms=100)
        level = np.concatenate([constant(-40, 4800), constant(0, 48000), constant(-40, 24000)], axis=1)
        made = processor(params)
        made.process(level.copy(), level, level.shape[1])
        reduction = made.reduction_db()
        self.assertAlmostEqual(reduction[4800 + 480 - 1], 9.482, delta=0.01)
        self.assertAlmostEqual(reduction[4800 + 48000 - 1], 15.0, delta=0.001)
        self.assertAlmostEqual(reduction[4800 + 48000 + 4800 - 1], 5.518, delta=0.01)

    def test_attack_zero_acts_on_the_first_sample(self) -> None:
        params = CompressorParams(threshold_db=-20, ratio=None, knee_db=0, attack_ms=0, release_ms=50)
        audio = np.concatenate([constant(-60, 100), constant(0, 100)], axis=1)
        processor(params).process(audio, audio.copy(), 200)
        self.assertAlmostEqual(20 * np.log10(audio[0, 100]), -20.0, places=4)

    def test_hold_keeps_the_reduction_to_the_sample(self) -> None:
        params = CompressorParams(threshold_db=-20, ratio=None, knee_db=0, attack_ms=0, hold_ms=10, release_ms=20)
        level = np.concatenate([constant(0, 100), constant(-60, 2000)], axis=1)
        made = processor(params)
        made.process(level.copy(), level, 2100)
        reduction = made.reduction_db()
        self.assertAlmostEqual(reduction[99 + 480], 20.0, places=5)
        self.assertLess(reduction[99 + 481], 20.0 - 1e-4)

    def test_hold_zero_equals_the_plain_branching_recursion(self) -> None:
        params = CompressorParams(threshold_db=-30, ratio=3, knee_db=4, attack_ms=3, release_ms=40)
        audio = noise(0.5, channels=1, seed=5)
        made = processor(params)
        made.process(audio.copy(), audio, audio.shape[1])
        wanted = audio[0] * 0
        static = CompressorParams(threshold_db=-30, ratio=3, knee_db=4)
        levels = 20 * np.log10(np.maximum(np.abs(audio[0]), 1e-10))
        asked = levels - static_curve_db(static, levels)
        attack, release = np.exp(-1 / (0.003 * RATE_HZ)), np.exp(-1 / (0.040 * RATE_HZ))
        last = 0.0
        for i, value in enumerate(asked):
            feedback = attack if value >= last else release
            last = feedback * last + (1 - feedback) * value
            wanted[i] = last
        np.testing.assert_allclose(made.reduction_db()[: len(wanted)], wanted, atol=1e-5)


class FollowingReleaseTest(unittest.TestCase):
    """Parameter automation, JAES 61(10), 2013 (from memory): release 2 R / C^2 - A with the crest factor C."""

    def way_back(self, loud: np.ndarray, *, attack_ms: float = 10.0, release_ms: float = 200.0) -> np.ndarray:
        """Reduction from where a loud signal ends."""
        params = CompressorParams(
            threshold_db=-40, ratio=None, knee_db=0, attack_ms=attack_ms, release_ms=release_ms, release="follows"
        )
        made = processor(params, max_block=192000)
        whole = np.concatenate([loud, np.zeros((1, 24000))], axis=1)
        made.process(whole.copy(), whole, whole.shape[1])
        return made.reduction_db()[loud.shape[1] - 1 : whole.shape[1]]

    def time_constant_ms(self, reduction: np.ndarray) -> float:
        return 1000.0 * float(np.argmax(reduction <= reduction[0] / np.e)) / RATE_HZ

    def test_a_steady_level_has_twice_the_release_less_the_attack(self) -> None:
        self.assertAlmostEqual(self.time_constant_ms(self.way_back(constant(-10, 96000))), 390.0, delta=2.0)

    def test_a_sine_has_the_release_less_the_attack(self) -> None:
        times = np.arange(96000) / RATE_HZ
        sine = 0.5 * np.sin(2 * np.pi * 997.0 * times)[np.newaxis]
        back = self.way_back(sine, attack_ms=1.0, release_ms=100.0)
        self.assertAlmostEqual(self.time_constant_ms(back), 99.0, delta=3.0)

    def test_what_has_peaks_comes_back_sooner(self) -> None:
        times = np.arange(96000) / RATE_HZ
        bursts = (0.5 * np.sin(2 * np.pi * 997.0 * times) * (np.arange(96000) % 12000 < 1200))[np.newaxis]
        steady = self.time_constant_ms(self.way_back(0.5 * np.sin(2 * np.pi * 997.0 * times)[np.newaxis]))
        whole = np.concatenate([bursts, bursts[:, :1200]], axis=1)
        self.assertLess(self.time_constant_ms(self.way_back(whole)), 0.35 * steady)

    def test_it_is_the_plain_recursion(self) -> None:
        params = CompressorParams(
            threshold_db=-30, ratio=3, knee_db=4, attack_ms=3, release_ms=60, hold_ms=2, release="follows"
        )
        audio = noise(0.4, channels=1, seed=5) * (np.arange(19200) % 4800 < 1600)
        made = processor(params)
        made.process(audio.copy(), audio, audio.shape[1])
        levels = 20 * np.log10(np.maximum(np.abs(audio[0]), 1e-10))
        asked = levels - static_curve_db(CompressorParams(threshold_db=-30, ratio=3, knee_db=4), levels)
        attack, kept = np.exp(-1 / (0.003 * RATE_HZ)), np.exp(-1 / (0.2 * RATE_HZ))
        last, held, peak, mean = 0.0, 0, 0.0, 0.0
        wanted = np.zeros(len(asked))
        for i, value in enumerate(asked):
            square = max(abs(audio[0, i]), 1e-10) ** 2
            if i == 0:
                peak = mean = square
            mean = kept * mean + (1 - kept) * square
            peak = max(square, kept * peak + (1 - kept) * square)
            if value >= last:
                last, held = attack * last + (1 - attack) * value, 96
            elif held > 0:
                held -= 1
            else:
                samples = 2 * 0.060 * RATE_HZ * mean / peak - 0.003 * RATE_HZ
                feedback = np.exp(-1 / samples) if samples > 1e-3 else 0.0
                last = feedback * last + (1 - feedback) * value
            wanted[i] = last
        np.testing.assert_allclose(made.reduction_db()[: len(wanted)], wanted, atol=1e-4)


class DetectorTest(unittest.TestCase):
    def test_linked_channels_share_one_reduction(self) -> None:
        # L -6, R -26, T -20, ratio 4: linked both 10.5 dB, unlinked L 10.5 and R 0.
        audio = np.concatenate([constant(-6, 512), constant(-26, 512)])
        for link, right_db in ((1.0, 10.5), (0.0, 0.0)):
            with self.subTest(link=link):
                params = CompressorParams(
                    threshold_db=-20, ratio=4, knee_db=0, attack_ms=0, release_ms=0, stereo_link=link
                )
                out = audio.copy()
                processor(params, n_channels=2).process(out, audio.copy(), 512)
                self.assertAlmostEqual(20 * np.log10(out[0, -1]), -6 - 10.5, places=4)
                self.assertAlmostEqual(20 * np.log10(out[1, -1]), -26 - right_db, places=4)

    def test_rms_detector_reads_a_sine_3_01_db_lower(self) -> None:
        # Identity: a sine's RMS lies 3.0103 dB under its peak.
        times = np.arange(RATE_HZ) / RATE_HZ
        audio = np.sin(2 * np.pi * 1000 * times)[np.newaxis]
        params = CompressorParams(
            threshold_db=-20, ratio=None, knee_db=0, attack_ms=200, release_ms=200, detector="rms"
        )
        made = processor(params)
        made.process(audio.copy(), audio, RATE_HZ)
        self.assertAlmostEqual(made.reducer.loudest_detected_db(RATE_HZ), -3.01, delta=0.05)
        self.assertAlmostEqual(made.reduction_db()[RATE_HZ - 1], 16.99, delta=0.15)

    def test_mix_blends_with_the_input(self) -> None:
        params = CompressorParams(threshold_db=-20, ratio=None, knee_db=0, attack_ms=0, release_ms=0, mix=0.5)
        audio = constant(0, 64)
        processor(params).process(audio, audio.copy(), 64)
        self.assertAlmostEqual(audio[0, -1], 0.5 * 1.0 + 0.5 * 0.1, places=6)
