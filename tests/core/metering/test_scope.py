"""What a goniometer draws: closed forms of the correlation, and which samples are shown."""

import unittest

import numpy as np

from gemischt.core.metering.scope import MEMORY_S, N_PAIRS, StereoScope
from tests.support.signals import RATE_HZ, noise

BLOCK = 512


def correlation(pair: np.ndarray) -> float:
    """Of the last block."""
    scope = StereoScope(RATE_HZ)
    told = [scope.process(pair[:, start : start + BLOCK]) for start in range(0, pair.shape[1], BLOCK)]
    return float(told[-1][0])


class StereoScopeTest(unittest.TestCase):
    def test_equal_and_opposite_sides(self) -> None:
        one = noise(0.5, seed=1)[0]
        self.assertAlmostEqual(correlation(np.stack([one, 0.2 * one])), 1.0, places=6)
        self.assertAlmostEqual(correlation(np.stack([one, -0.2 * one])), -1.0, places=6)

    def test_sides_that_share_a_part(self) -> None:
        common, left, right = (noise(4.0, seed=seed)[0] for seed in (1, 2, 3))
        # Power 1 is shared of 1 + 3 on each side.
        pair = np.stack([common + np.sqrt(3.0) * left, common + np.sqrt(3.0) * right])
        self.assertAlmostEqual(correlation(pair), 0.25, delta=0.03)

    def test_one_side_and_silence_say_nothing(self) -> None:
        one = noise(0.1, seed=1)[0]
        self.assertEqual(correlation(np.stack([one, np.zeros_like(one)])), 0.0)
        self.assertEqual(correlation(np.zeros((2, BLOCK))), 0.0)

    def test_what_was_heard_fades(self) -> None:
        scope, one = StereoScope(RATE_HZ), np.ones((2, 1))
        scope.process(np.repeat([[1.0], [-1.0]], BLOCK, axis=1))
        # After the time constant e^-1 of the opposite is left beside what is alike.
        n_samples = round(MEMORY_S * RATE_HZ)
        told = scope.process(np.repeat(one, n_samples, axis=1))
        left = BLOCK * np.exp(-1.0)
        self.assertAlmostEqual(float(told[0]), (n_samples - left) / (n_samples + left), places=5)

    def test_pairs_are_samples_of_the_block(self) -> None:
        pair = np.stack([np.arange(960.0), -np.arange(960.0)])
        pairs = StereoScope(RATE_HZ).process(pair)[1:].reshape(2, N_PAIRS)
        np.testing.assert_array_equal(pairs[0], np.arange(N_PAIRS) * 10)
        np.testing.assert_array_equal(pairs[1], -pairs[0])

    def test_a_block_of_few_samples(self) -> None:
        self.assertEqual(len(StereoScope(RATE_HZ).process(np.ones((2, 1)))), 1 + 2 * N_PAIRS)


if __name__ == "__main__":
    unittest.main()
