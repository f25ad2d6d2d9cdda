"""The feedback delay network against a plain twin that keeps all it ever wrote."""

import unittest

import numpy as np
from scipy.linalg import hadamard

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp import feedback_network as network

TURNS = 2.0 * np.pi * np.array([0.7, -1.1, 1.4, -1.8, 2.1, -2.4, 2.8, -3.1]) / 480.0
FADE_SAMPLES = 150
LONGER_SAMPLES = 200
"""How much lines may grow."""


class Twin:
    """Sample by sample, matrix by matrix."""

    def __init__(self, lengths: Counts, absorption: Audio) -> None:
        self.lengths = [lengths, lengths]
        self.absorption = absorption
        self.fade = 0
        self.state = np.zeros(16)
        self.written: list[Audio] = []
        self.angles, self.turning = np.zeros(8), 1.0

    def step(self, left: float, right: float) -> Audio:
        now = len(self.written)

        def read(lengths: Counts) -> Audio:
            taken = [self.written[now - n][k] if n <= now else 0.0 for k, n in enumerate(lengths)]
            return np.array(taken)

        before = self.fade / FADE_SAMPLES
        lines = before * read(self.lengths[0]) + (1 - before) * read(self.lengths[1])
        self.fade = max(0, self.fade - 1)
        gains, poles = self.absorption[:16], self.absorption[16:32]
        self.state = poles * self.state + gains * (1 - poles) * lines
        mixed = hadamard(16) @ self.state
        low, high = mixed[:8], mixed[8:]
        cosine, sine = np.cos(self.angles), np.sin(self.angles)
        to_low = 0.25 * (cosine * low - sine * high) + left
        to_high = 0.25 * (sine * low + cosine * high) + right
        self.angles = self.angles + self.turning * TURNS
        self.written.append(np.concatenate([to_low, to_high]))
        rows = hadamard(16)[[1, 2, 9, 10, 4, 7, 12, 15]] @ self.state
        return self.absorption[32] * rows


class FeedbackNetworkTest(unittest.TestCase):
    def setUp(self) -> None:
        self.random = np.random.default_rng(8)
        self.lengths = np.sort(self.random.integers(70, 300, 16))
        self.absorption = np.concatenate([np.full(16, 0.9), np.linspace(0.1, 0.5, 16), [0.7]])
        self.wanted = self.lengths
        self.taps = np.zeros((2, 16), np.int64)
        self.places = network.new_places(self.lengths + LONGER_SAMPLES)
        self.rings = network.new_rings(16, int(self.places[1].max()))
        self.fade = np.array([0, FADE_SAMPLES], np.int64)
        self.absorbed = np.zeros(16)
        self.turns = np.stack([np.ones(8), np.zeros(8)])
        self.tables = network.turn_tables(TURNS)
        self.twin = Twin(self.lengths, self.absorption)

    def run_block(self, audio: Audio) -> Audio:
        answer = audio.copy()
        network.run_network(
            answer,
            answer.shape[1],
            np.zeros((1, 3), np.int64),
            np.concatenate([self.absorption, [self.twin.turning], self.wanted])[np.newaxis],
            self.rings,
            self.places,
            self.taps,
            self.fade,
            self.absorbed,
            self.turns,
            self.tables,
        )
        return answer

    def check(self, n_samples: int, *, n_outputs: int = 2) -> None:
        audio = np.zeros((n_outputs, n_samples))
        audio[:2] = self.random.standard_normal((2, n_samples))
        expected = np.array([self.twin.step(*audio[:2, i]) for i in range(n_samples)]).T[:n_outputs]
        np.testing.assert_allclose(self.run_block(audio), expected, rtol=1e-9, atol=1e-9)

    def change_lengths(self, lengths: Counts) -> None:
        self.twin.lengths = [self.twin.lengths[1], lengths]
        self.twin.fade = FADE_SAMPLES
        self.wanted = lengths

    def test_blocks_of_any_size(self) -> None:
        for n_samples in (1, 64, 63, 500, 7, 130, 900):
            self.check(n_samples)

    def test_more_outputs_than_two(self) -> None:
        for n_outputs in (2, 4, 6, 8):
            self.check(333, n_outputs=n_outputs)

    def test_pairs_turn_slower_faster_or_not_at_all(self) -> None:
        """From the next chunk on, which begins where 64 divides the samples that have gone."""
        for turning in (1.0, 0.0, 2.0, 0.3):
            self.twin.turning = turning
            self.check(640)

    def test_lengths_change_while_it_sounds(self) -> None:
        self.check(777)
        self.change_lengths(self.lengths + self.random.integers(1, LONGER_SAMPLES, 16))
        self.check(333)
        self.change_lengths(np.sort(self.random.integers(66, 90, 16)))
        self.check(601)


if __name__ == "__main__":
    unittest.main()
