"""Rounding to the integers that files hold, against plain arithmetic."""

import unittest

import numpy as np

from gemischt.core.dsp.rounding import pack_24_bits, round_to_frames
from tests.support.signals import Signal, noise

EDGES = np.array([[0.0, 1.0, -1.0, 2.0, -2.0, 0.5 * 2.0**-23, 1.5 * 2.0**-23, 1.0 - 2.0**-24, -(2.0**-23)]])


def rounded(signal: Signal) -> np.ndarray:
    """Steps of 24 bits, halves to even, clipped."""
    return np.clip(np.rint(signal * 2.0**23), -(2.0**23), 2.0**23 - 1.0).T.astype(np.int64)


class PackingTest(unittest.TestCase):
    def test_bytes_are_the_rounded_integers_lowest_first(self) -> None:
        for signal in (EDGES, np.repeat(EDGES, 3, axis=0), noise(0.1, level=0.6), noise(0.05, channels=12)):
            frames = np.empty((signal.shape[1], 3 * len(signal)), np.uint8)
            clipped = pack_24_bits(signal, frames)
            low, middle, high = (frames[:, at::3].astype(np.int64) for at in range(3))
            found = low + (middle << 8) + (high << 16)
            found -= (found >> 23) << 24
            np.testing.assert_array_equal(found, rounded(signal))
            over = (signal * 2.0**23 > 2.0**23 - 1.0) | (signal < -1.0)
            self.assertEqual(clipped, np.count_nonzero(over))

    def test_wider_integers_are_the_same_steps(self) -> None:
        signal = noise(0.1, level=0.6)
        frames = np.empty(signal.shape[::-1], np.int32)
        round_to_frames(signal, 2.0**23, 256, frames)
        np.testing.assert_array_equal(frames // 256, rounded(signal))


if __name__ == "__main__":
    unittest.main()
