"""Kernels against plain Python twins: the slow way that is easy to read."""

import unittest

import numpy as np

from gemischt.core.dsp import decibels, mixing
from gemischt.core.metering.loudness import LoudnessMeter
from gemischt.core.metering.true_peak import TruePeakMeter
from gemischt.core.space.layout import STEREO
from tests.support.kernels import by_kernel
from tests.support.signals import RATE_HZ, noise

amplitude_to_db, db_to_amplitude = by_kernel(decibels.amplitude_to_db), by_kernel(decibels.db_to_amplitude)


class DecibelsTest(unittest.TestCase):
    def test_logarithm_over_sixteen_decades(self) -> None:
        for amplitude in np.geomspace(1e-9, 1e7, 2001):
            self.assertAlmostEqual(amplitude_to_db(float(amplitude)), 20 * np.log10(amplitude), delta=1e-6)

    def test_power_over_400_db(self) -> None:
        for level_db in np.linspace(-200, 200, 2001):
            exact = 10 ** (level_db / 20)
            self.assertAlmostEqual(db_to_amplitude(float(level_db)) / exact, 1.0, delta=1e-9)

    def test_unity_is_exact_and_silence_is_finite(self) -> None:
        self.assertEqual(db_to_amplitude(0.0), 1.0)
        for nothing in (0.0, 1e-300, float("nan")):
            self.assertAlmostEqual(amplitude_to_db(nothing), -200.0, places=5)


class MixingKernelsTest(unittest.TestCase):
    def test_delay_by_any_length_over_any_blocks(self) -> None:
        signal = noise(0.02, seed=3)
        for delay in (1, 7, 480, 2000):
            with self.subTest(delay=delay):
                ring, position = np.zeros((2, delay)), np.zeros(1, np.int64)
                out = []
                for start in range(0, 960, 160):
                    block = np.ascontiguousarray(signal[:, start : start + 160])
                    mixing.delay_in_place(block, 160, ring, position)
                    out.append(block)
                expected = np.concatenate([np.zeros((2, delay)), signal], axis=1)[:, :960]
                np.testing.assert_array_equal(np.concatenate(out, axis=1), expected)

    def test_meter_reads_peak_and_squares(self) -> None:
        signal = noise(0.1, seed=14)
        meter = np.zeros((2, 2))
        mixing.measure_level(signal, signal.shape[1], meter)
        np.testing.assert_allclose(meter[:, 0], np.abs(signal).max(axis=1), rtol=1e-15)
        np.testing.assert_allclose(meter[:, 1], (signal**2).sum(axis=1), rtol=1e-12)

    def test_a_kernel_refuses_what_it_was_not_declared_for(self) -> None:
        # A view that is not contiguous would have to be compiled first, which takes seconds.
        with self.assertRaises(TypeError):
            mixing.measure_level(np.zeros((2, 100))[:, :50], 50, np.zeros((2, 2)))


class MetersTakeViewsTest(unittest.TestCase):
    def test_a_part_of_a_buffer_reads_like_a_copy(self) -> None:
        signal = noise(1.0, seed=15)
        view = signal[:, 100:24100]
        for audio in (view, view.copy()):
            loudness = LoudnessMeter(RATE_HZ, STEREO)
            loudness.process(audio, audio.shape[1])
            peak = TruePeakMeter(2, max_block=24000)
            peak.process(audio, audio.shape[1])
            if audio is view:
                expected = loudness.momentary_lufs, peak.max_dbtp
            self.assertEqual((loudness.momentary_lufs, peak.max_dbtp), expected)
