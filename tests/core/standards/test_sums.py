"""What tracks add up to, against the identities of level arithmetic: 20 log N, 10 log N, 10 log (2 + 2 r)."""

import unittest

import numpy as np
from scipy import signal as scipy_signal

from gemischt.core.space.layout import STEREO
from tests.support.meters import StageMeter
from tests.support.sessions import Bench
from tests.support.signals import RATE_HZ, Signal, noise, peak_db, sine

LENGTH_S = 10.0
N = round(LENGTH_S * RATE_HZ)


def rms_db(signal: Signal) -> float:
    return float(10 * np.log10(np.mean(signal**2)))


def correlated_pair(correlation: float) -> tuple[Signal, Signal]:
    """Two noises of equal power whose correlation is exactly the given one."""
    first, second = noise(LENGTH_S, channels=1, seed=1)[0], noise(LENGTH_S, channels=1, seed=2)[0]
    first /= np.sqrt(np.mean(first**2))
    second -= np.mean(first * second) * first
    second /= np.sqrt(np.mean(second**2))
    other = correlation * first + np.sqrt(1 - correlation**2) * second
    return 0.1 * np.tile(first, (2, 1)), 0.1 * np.tile(other, (2, 1))


def mixed(*tracks: Signal) -> Signal:
    bench = Bench()
    for number, track in enumerate(tracks):
        bench.track(f"track-{number}", track)
    return bench.render(tracks[0].shape[1])


class SumsTest(unittest.TestCase):
    def test_sums_of_unrelated_tracks_of_equal_power(self) -> None:
        # 10 log N.
        for n, gain_db in ((2, 3.010), (3, 4.771), (4, 6.021), (8, 9.031), (16, 12.041)):
            with self.subTest(n=n):
                tracks = [noise(LENGTH_S, seed=10 + k) for k in range(n)]
                self.assertAlmostEqual(rms_db(mixed(*tracks)) - rms_db(tracks[0]), gain_db, delta=0.08)

    def test_sums_by_correlation(self) -> None:
        # 10 log (2 + 2 r).
        for correlation, gain_db in ((1.0, 6.0206), (0.5, 4.7712), (0.0, 3.0103), (-0.5, 0.0)):
            with self.subTest(correlation=correlation):
                first, second = correlated_pair(correlation)
                self.assertAlmostEqual(rms_db(mixed(first, second)) - rms_db(first), gain_db, delta=0.01)

    def test_opposed_tracks_leave_nothing(self) -> None:
        first, second = correlated_pair(-1.0)
        self.assertLess(np.abs(mixed(first, second)).max(), 1e-6)

    def test_tracks_peaking_at_minus_18(self) -> None:
        # Common practice, no source: tracks that peak about -18 dBFS. The sums are arithmetic: -18 + 20 log N.
        for n, worst_dbfs in ((8, 0.06), (16, 6.08), (24, 9.60), (32, 12.10)):
            with self.subTest(n=n):
                self.assertAlmostEqual(peak_db(mixed(*[sine(200, -18, 0.1)] * n)), worst_dbfs, delta=0.01)


class CrestTest(unittest.TestCase):
    """Peak over plain RMS of the shapes every handbook has: identities."""

    def crest_db(self, wave: Signal) -> float:
        meter = StageMeter(RATE_HZ, STEREO)
        meter.process(wave, wave.shape[1])
        return meter.levels().crest_db

    def test_sine_square_and_triangle(self) -> None:
        # 100 Hz, whole periods; peaks of the triangle lie on samples.
        times = np.arange(RATE_HZ) / RATE_HZ
        for name, wave, crest_db in (
            ("sine", np.sin(2 * np.pi * 100 * times), 3.0103),
            ("square", np.where((100 * times) % 1 < 0.5, 1.0, -1.0), 0.0),
            ("triangle", scipy_signal.sawtooth(2 * np.pi * 100 * times, width=0.5), 4.7712),
        ):
            with self.subTest(name):
                self.assertAlmostEqual(self.crest_db(np.tile(0.25 * wave, (2, 1))), crest_db, delta=0.01)

    def test_pink_noise_lies_between_11_and_16(self) -> None:
        # Statistical, measured for Gaussian pink noise from 20 Hz to 20 kHz: it grows with length.
        for seed in range(3):
            white = np.random.default_rng(seed).standard_normal(N)
            frequencies_hz = np.fft.rfftfreq(N, 1 / RATE_HZ)
            shape = np.where((frequencies_hz >= 20) & (frequencies_hz <= 20000), 1.0, 0.0)
            shape /= np.sqrt(np.maximum(frequencies_hz, 20))
            pink = np.fft.irfft(np.fft.rfft(white) * shape)
            crest_db = self.crest_db(np.tile(0.05 * pink / np.std(pink), (2, 1)))
            self.assertTrue(11.0 < crest_db < 16.0, f"{crest_db:.1f} dB")
