"""True peak of sines of any frequency and phase, against their closed form, and of noise against its spectrum."""

import unittest

import numpy as np
from scipy.signal import resample

from gemischt.core.metering.true_peak import TruePeakMeter
from tests.support.signals import RATE_HZ, Signal, faded_sine, noise


def measured_dbtp(signal: Signal) -> float:
    meter = TruePeakMeter(len(signal), max_block=signal.shape[1])
    meter.process(signal, signal.shape[1])
    return meter.max_dbtp


class SineTest(unittest.TestCase):
    def test_sines_up_to_20_khz_read_their_amplitude(self) -> None:
        # Frequencies that divide the rate meet the same few phases for ever: the worst case of any interpolator.
        cases = [(rate, rate / k) for rate in (44100, 48000, 88200, 96000) for k in (2.4, 3, 4, 5, 6, 8, 12, 48)]
        cases += [(44100, 20000.0), (48000, 20000.0), (48000, 8000.0), (44100, 19110.0)]
        for rate_hz, frequency_hz in cases:
            for phase in np.linspace(0.0, np.pi / 2, 7):
                with self.subTest(rate_hz=rate_hz, frequency_hz=frequency_hz, phase=phase):
                    self.assertAlmostEqual(
                        measured_dbtp(faded_sine(frequency_hz, rate_hz=rate_hz, phase_rad=phase)), 0.0, delta=0.05
                    )

    def test_it_is_never_below_the_sample_peak(self) -> None:
        signal = noise(0.5, level=0.3, seed=4)
        self.assertGreaterEqual(measured_dbtp(signal), 20 * np.log10(np.float32(np.abs(signal).max())) - 1e-6)

    def test_noise_below_20_khz_reads_what_its_spectrum_says(self) -> None:
        for seed in range(5):
            spectrum = np.fft.rfft(noise(0.5, channels=1, seed=seed)[0])
            hz = np.fft.rfftfreq(RATE_HZ // 2, 1 / RATE_HZ)
            signal = np.fft.irfft(np.where(hz < 20000, spectrum, 0.0))
            around = np.concatenate([signal] * 3)[np.newaxis]
            with self.subTest(seed=seed):
                wave = np.abs(resample(signal, 32 * len(signal))).max()
                self.assertAlmostEqual(measured_dbtp(around), 20 * np.log10(wave), delta=0.05)

    def test_blocks_of_any_size_read_the_same(self) -> None:
        signal = noise(0.2, level=0.5, seed=9)
        whole = measured_dbtp(signal)
        for size in (1, 7, 64, 1000):
            with self.subTest(size=size):
                meter = TruePeakMeter(2, max_block=size)
                for start in range(0, signal.shape[1], size):
                    part = signal[:, start : start + size]
                    meter.process(part, part.shape[1])
                self.assertAlmostEqual(meter.max_dbtp, whole, places=9)
