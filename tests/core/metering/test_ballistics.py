"""Strip meters: hold, fall and averaging against sample time (choices of our own; common practice, no source)."""

import unittest

import numpy as np

from gemischt.core.metering.ballistics import MeterBank
from gemischt.core.metering.spectrum import LOWEST_HZ, N_BINS, SpectrumMeter
from tests.support.signals import RATE_HZ, sine

BLOCK = 480


def run(bank: MeterBank, peaks: list[float]) -> np.ndarray:
    """Readings (n_blocks, 3) of one meter fed with square waves of the given peaks, 10 ms each."""
    readings = []
    for peak in peaks:
        meters = np.array([[[[peak, BLOCK * peak * peak]] * 2]])
        readings.append(bank.advance(meters, BLOCK)[0, 0])
        assert not meters.any()
    return np.array(readings)


class BallisticsTest(unittest.TestCase):
    def setUp(self) -> None:
        self.bank = MeterBank(1, 1, RATE_HZ)

    def test_peak_rises_at_once_and_falls_20_db_a_second(self) -> None:
        readings = run(self.bank, [0.5] + [0.0] * 100)
        self.assertAlmostEqual(readings[0, 0], -6.02, places=2)
        self.assertAlmostEqual(readings[100, 0], -6.02 - 20.0, places=2)

    def test_hold_stays_a_second_and_a_half(self) -> None:
        readings = run(self.bank, [0.5] + [0.0] * 200)
        np.testing.assert_allclose(readings[:150, 1], -6.0206, atol=0.01)
        self.assertLess(readings[155, 1], -6.5)

    def test_rms_reaches_63_percent_of_the_power_in_300_ms(self) -> None:
        readings = run(self.bank, [1.0] * 30)
        self.assertAlmostEqual(10 ** (readings[29, 2] / 10), 0.632, places=3)

    def test_silence_reads_the_floor(self) -> None:
        self.assertEqual(run(self.bank, [0.0])[0].tolist(), [-150.0] * 3)

    def test_the_louder_channel_is_shown(self) -> None:
        meters = np.array([[[[0.1, 0.0], [0.5, 0.0]]]])
        self.assertAlmostEqual(float(self.bank.advance(meters, BLOCK)[0, 0, 0]), -6.02, places=2)


class SpectrumTest(unittest.TestCase):
    def test_a_full_scale_sine_reads_0_in_its_bin(self) -> None:
        for frequency_hz in (100.0, 1000.0, 10000.0):
            with self.subTest(frequency_hz=frequency_hz):
                meter = SpectrumMeter(RATE_HZ)
                meter.process(sine(frequency_hz, 0.0, 0.1), 4800)
                levels = meter.levels_db()
                at = int(np.log10(frequency_hz / LOWEST_HZ) / 3 * N_BINS)
                self.assertLessEqual(abs(int(np.argmax(levels)) - at), 3)
                self.assertAlmostEqual(float(levels.max()), 0.0, delta=1.5)
