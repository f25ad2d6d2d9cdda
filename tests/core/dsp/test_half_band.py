"""Doubling and halving the rate, against SciPy's FIR analysis and convolution as general-purpose references."""

import unittest

import numpy as np
from scipy import signal as reference

from gemischt.core.dsp import half_band
from gemischt.core.dsp.half_band import design_half_band
from gemischt.core.dsp.shaping import FIRST, SECOND, THIRD
from tests.support.kernels import by_kernel
from tests.support.signals import noise

KEEP = 64
double_rate, halve_rate = by_kernel(half_band.double_rate), by_kernel(half_band.halve_rate)


def whole_filter(taps: np.ndarray) -> np.ndarray:
    """The filter with its zeros and its middle, gain 1."""
    whole = np.zeros(2 * taps.size - 1)
    whole[::2] = taps / 2.0
    whole[taps.size - 1] = 0.5
    return whole


def doubled(line: np.ndarray, taps: np.ndarray) -> np.ndarray:
    n = line.size - KEEP
    out = np.zeros((n, 2))
    early, late = np.zeros(n, np.float32), np.zeros(n, np.float32)
    double_rate(early, late, line, taps, KEEP)
    out[:, 0], out[:, 1] = early, late
    return out.ravel()


class HalfBandTest(unittest.TestCase):
    def test_what_passes_and_what_does_not(self) -> None:
        # Edges as parts of the doubled rate; what is below 20 kHz at 48 kHz must keep its images out of the band.
        for taps, passes, stops in (
            (FIRST, 20.0 / 96, 28.0 / 96),
            (SECOND, 28.0 / 192, 68.0 / 192),
            (THIRD, 20.0 / 384, 172.0 / 384),
        ):
            with self.subTest(taps=taps.size):
                frequencies, response = reference.freqz(whole_filter(taps), worN=1 << 14, fs=1.0)
                response_db = 20 * np.log10(np.abs(response) + 1e-12)
                self.assertLess(np.abs(response_db[frequencies <= passes]).max(), 0.001)
                self.assertLess(response_db[frequencies >= stops].max(), -98.9)

    def test_doubling_is_the_filter_over_zeros_in_between(self) -> None:
        for n_taps in (10, 20, 40):
            with self.subTest(n_taps=n_taps):
                taps = design_half_band(n_taps, 100.0)
                line = noise(0.02, channels=1)[0].astype(np.float32)
                stuffed = np.zeros(2 * line.size)
                stuffed[::2] = line
                expected = reference.lfilter(2.0 * whole_filter(taps), 1.0, stuffed)[2 * KEEP :]
                np.testing.assert_allclose(doubled(line, taps), expected, atol=1e-6)

    def test_halving_is_the_filter_and_every_other_sample(self) -> None:
        for n_taps in (10, 20, 40):
            with self.subTest(n_taps=n_taps):
                taps = design_half_band(n_taps, 100.0)
                fast = noise(0.04, channels=1)[0].astype(np.float32)
                early, late = fast[::2].copy(), fast[1::2].copy()
                out = np.zeros(early.size - KEEP, np.float32)
                halve_rate(out, early, late, taps, KEEP)
                expected = reference.lfilter(whole_filter(taps), 1.0, fast)[::2][KEEP:]
                np.testing.assert_allclose(out, expected, atol=1e-6)
