"""The spectrum beside the equaliser: levels of tones, and bins against the lines of the transform one by one."""

import unittest

import numpy as np

from gemischt.core.metering.spectrum import FLOOR_DB, HIGHEST_HZ, LOWEST_HZ, N_BINS, WINDOW_SAMPLES, SpectrumMeter
from tests.support.signals import RATE_HZ, noise, sine


class SpectrumTest(unittest.TestCase):
    edges = np.geomspace(LOWEST_HZ, HIGHEST_HZ, N_BINS + 1)

    def measured(self, *blocks: np.ndarray) -> np.ndarray:
        meter = SpectrumMeter(RATE_HZ)
        for block in blocks:
            meter.process(block, block.shape[1])
        return meter.levels_db()

    def test_a_tone_shows_its_level_in_its_bin(self) -> None:
        for line in (24, 85, 1000):
            # In the middle of a line of the transform, the window's main lobe takes nothing off. Arithmetic.
            frequency_hz = line * RATE_HZ / WINDOW_SAMPLES
            levels_db = self.measured(sine(frequency_hz, -20, 0.2))
            place = int(np.searchsorted(self.edges, frequency_hz)) - 1
            self.assertAlmostEqual(levels_db[place], -20.0, delta=0.02)
            self.assertEqual(levels_db.argmax(), place)

    def test_bins_hold_the_highest_line_between_their_edges(self) -> None:
        audio = noise(0.2)
        line = audio.mean(axis=0)[-WINDOW_SAMPLES:]
        magnitude = np.abs(np.fft.rfft(line * np.hanning(WINDOW_SAMPLES))) * (4.0 / WINDOW_SAMPLES)
        frequencies_hz = np.fft.rfftfreq(WINDOW_SAMPLES, 1.0 / RATE_HZ)
        levels_db = self.measured(audio)
        for k in range(N_BINS):
            inside = magnitude[(frequencies_hz >= self.edges[k]) & (frequencies_hz < self.edges[k + 1])]
            if len(inside):
                self.assertAlmostEqual(levels_db[k], 20.0 * np.log10(inside.max()), places=9)

    def test_blocks_of_any_length_add_up(self) -> None:
        audio = noise(0.3)
        np.testing.assert_allclose(self.measured(*np.array_split(audio, 37, axis=1)), self.measured(audio))

    def test_silence_lies_at_the_floor(self) -> None:
        np.testing.assert_array_equal(self.measured(np.zeros((2, 512))), FLOOR_DB)


if __name__ == "__main__":
    unittest.main()
