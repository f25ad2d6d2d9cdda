"""Several signals measured side by side, against each alone and against the same done in NumPy."""

import unittest
from dataclasses import asdict

import numpy as np
from scipy.signal import sosfilt

from gemischt.core.metering.loudness import k_weighting, powers_to_lufs
from gemischt.core.metering.song_curve import SongCurve
from gemischt.core.metering.stage_meter import StageLevels, StageMeters
from gemischt.core.space.layout import FILE_LAYOUTS, MONO, STEREO
from tests.support.meters import StageMeter
from tests.support.signals import RATE_HZ, Signal, noise, sine

N_SAMPLES = 3 * RATE_HZ // 2


def a_few_signals() -> list[Signal]:
    """Nine channels, so that they take two groups of eight lanes."""
    swell = np.linspace(0.0, 1.0, N_SAMPLES)
    return [
        noise(1.5, level=0.2),
        sine(997, -6, 1.5, channels=1),
        noise(1.5, level=0.3, seed=2) * swell,
        np.vstack([sine(50, 3, 1.5, channels=1), np.full((1, N_SAMPLES), -0.25)]),
        np.zeros((1, N_SAMPLES)),
        noise(1.5, channels=1, seed=3) * swell[::-1],
    ]


def measured(signals: list[Signal], rate_hz: int, blocks: list[int]) -> list[StageLevels]:
    meters = StageMeters(rate_hz, [FILE_LAYOUTS[len(signal)] for signal in signals])
    rows = meters.new_rows(max(blocks))
    position = 0
    while position < N_SAMPLES:
        for block in blocks:
            n_samples = min(block, N_SAMPLES - position)
            for index, signal in enumerate(signals):
                rows[meters.rows_of(index), :n_samples] = signal[:, position : position + n_samples]
            meters.process(rows, n_samples)
            position += n_samples
    return [meters.levels(index) for index in range(len(signals))]


class SideBySideTest(unittest.TestCase):
    def assert_same(self, one: StageLevels, other: StageLevels) -> None:
        for name, value in asdict(one).items():
            if isinstance(value, float) and np.isfinite(value):
                self.assertAlmostEqual(value, getattr(other, name), delta=1e-6, msg=name)
            else:
                self.assertEqual(value, getattr(other, name), name)

    def test_each_reads_what_it_reads_alone(self) -> None:
        signals = a_few_signals()
        for rate_hz in (44100, 48000):
            together = measured(signals, rate_hz, [4096])
            for index, signal in enumerate(signals):
                with self.subTest(rate_hz=rate_hz, index=index):
                    alone = StageMeter(rate_hz, FILE_LAYOUTS[len(signal)])
                    alone.process(np.ascontiguousarray(signal), N_SAMPLES)
                    self.assert_same(together[index], alone.levels())

    def test_blocks_of_any_size_read_the_same(self) -> None:
        signals = a_few_signals()
        for one, other in zip(
            measured(signals, RATE_HZ, [N_SAMPLES]), measured(signals, RATE_HZ, [1, 333, 5000, 64]), strict=True
        ):
            self.assert_same(one, other)

    def test_plain_figures_are_numpy_s(self) -> None:
        for signal, levels in zip(a_few_signals(), measured(a_few_signals(), RATE_HZ, [3000]), strict=True):
            rms = float(np.sqrt((signal**2).mean(axis=1).max()))
            peak = float(np.abs(signal).max())
            if peak == 0.0:
                self.assertTrue(levels.silent)
                continue
            self.assertAlmostEqual(levels.rms_dbfs, 20 * np.log10(rms), delta=1e-5)
            self.assertAlmostEqual(levels.sample_peak_dbfs, 20 * np.log10(peak), delta=1e-5)
            self.assertAlmostEqual(levels.dc, float(np.abs(signal.mean(axis=1)).max()), delta=1e-6)
            self.assertEqual(levels.overs, int((np.abs(signal) > 1.0).sum()))
            there = np.abs(signal[:, round(levels.sample_peak_at_s * RATE_HZ)]).max()
            self.assertAlmostEqual(float(there), peak, delta=1e-6)

    def test_loudest_momentary_is_that_of_a_filter_from_scipy(self) -> None:
        signal = a_few_signals()[2]
        sos = np.insert(k_weighting(RATE_HZ), 3, 1.0, axis=1)
        power = (sosfilt(sos, signal, axis=1) ** 2).sum(axis=0)
        sums = np.concatenate([[0.0], np.cumsum(power)])[:: RATE_HZ // 100]
        loudest = (sums[40:] - sums[:-40]).max() / (0.4 * RATE_HZ)
        levels = measured([signal], RATE_HZ, [1000])[0]
        self.assertAlmostEqual(levels.max_momentary_lufs, -0.691 + 10 * np.log10(loudest), delta=1e-5)


class TurnedTest(unittest.TestCase):
    """Overs of signals that are another one through a gain."""

    def test_overs_are_counted_as_if_the_turned_signal_were_there(self) -> None:
        signals = [noise(1.5, level=0.3, seed=2), sine(997, -6, 1.5, channels=1)]
        pairs = [(0, 1.7), (1, 2.5), (0, 0.5), (1, 0.0)]
        meters = StageMeters(RATE_HZ, [STEREO, MONO], pairs)
        rows = meters.new_rows(10_000)
        for start in range(0, N_SAMPLES, 10_000):
            n_samples = min(10_000, N_SAMPLES - start)
            for index, signal in enumerate(signals):
                rows[meters.rows_of(index), :n_samples] = signal[:, start : start + n_samples]
            meters.process(rows, n_samples)
        for place, (index, gain) in enumerate(pairs):
            with self.subTest(index=index, gain=gain):
                over = np.abs(gain * signals[index].astype(np.float32).astype(np.float64)) > 1.0
                first_s = float(np.argmax(over.any(axis=0))) / RATE_HZ if over.any() else None
                self.assertEqual(meters.turned_overs(place), (int(over.sum()), first_s))

    def test_weighted_powers_add_up_to_the_loudness(self) -> None:
        signal = noise(1.5, level=0.2)
        meters = StageMeters(RATE_HZ, [STEREO])
        rows = meters.new_rows(N_SAMPLES)
        rows[:2, :N_SAMPLES] = signal
        meters.process(rows, N_SAMPLES)
        powers = meters.weighted_powers(0)
        self.assertEqual(len(powers), 150)
        momentary = max(powers[start : start + 40].mean() for start in range(111))
        self.assertAlmostEqual(
            powers_to_lufs(np.array([momentary]))[0], meters.levels(0).max_momentary_lufs, delta=1e-6
        )


class SongCurveTest(unittest.TestCase):
    def test_highest_of_each_part(self) -> None:
        audio = np.random.default_rng(4).standard_normal((2, 1003)).astype(np.float32)
        for n_bins in (1, 7, 100, 1200):
            with self.subTest(n_bins=n_bins):
                curve = SongCurve(1003, n_bins)
                for start in range(0, 1003, 90):
                    part = np.ascontiguousarray(audio[:, start : start + 90])
                    curve.process(part, part.shape[1])
                bins = np.arange(1003) * n_bins // 1003
                expected = np.zeros(n_bins)
                np.maximum.at(expected, bins, np.abs(audio).max(axis=0))
                np.testing.assert_array_equal(curve.peaks, expected)


if __name__ == "__main__":
    unittest.main()
