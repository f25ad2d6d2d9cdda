"""Several signals summed up together read what each reads by itself."""

import unittest
from dataclasses import asdict
from unittest import mock

import numpy as np

from gemischt.core.metering import summary
from gemischt.core.metering.summary import Summarizers, Summary, summarize
from gemischt.core.space.layout import FILE_LAYOUTS, STEREO
from tests.support.signals import RATE_HZ, Signal, noise


class TogetherTest(unittest.TestCase):
    def assert_alike(self, found: Summary, expected: Summary) -> None:
        for (name, one), other in zip(asdict(found).items(), asdict(expected).values(), strict=True):
            if other is None or other == -np.inf:
                self.assertEqual(one, other, name)
            else:
                self.assertAlmostEqual(one, other, places=6, msg=name)

    def alone(self, signal: Signal) -> Summary:
        return summarize([signal], sample_rate_hz=RATE_HZ, layout=FILE_LAYOUTS[len(signal)])

    def signals(self, rng: np.random.Generator) -> list[Signal]:
        return [
            noise(float(rng.uniform(0.1, 4.0)), level=float(rng.uniform(0.01, 1.2)), seed=seed)[:n_channels]
            for seed, n_channels in enumerate((2, 1, 2, 1, 2))
        ]

    def check(self, rng: np.random.Generator, signals: list[Signal], most_samples: int) -> None:
        """Blocks of any size, of whichever signal comes next; each ends when all of it has come."""
        together = Summarizers(RATE_HZ, [FILE_LAYOUTS[len(signal)] for signal in signals])
        done = [0] * len(signals)
        going_on = list(range(len(signals)))
        while going_on:
            signal = int(rng.choice(going_on))
            end = done[signal] + int(rng.integers(1, most_samples))
            together.process(signal, signals[signal][:, done[signal] : end])
            done[signal] = end
            if end >= signals[signal].shape[1]:
                going_on.remove(signal)
                self.assert_alike(together.finish(signal), self.alone(signals[signal]))

    def test_correlation_is_what_it_is_by_definition(self) -> None:
        one, other = noise(3.0, seed=4)
        for left, right in ((one, other), (one, one + other), (one, -0.5 * one)):
            expected = float(left @ right) / np.sqrt(float(left @ left) * float(right @ right))
            self.assertAlmostEqual(self.alone(np.stack([left, right])).correlation or 0.0, expected, places=9)
        self.assertIsNone(self.alone(np.stack([one, np.zeros_like(one)])).correlation)

    def test_at_whatever_pace_they_come_and_whenever_they_end(self) -> None:
        rng = np.random.default_rng(2)
        for _ in range(6):
            self.check(rng, self.signals(rng), 30_000)

    def test_nothing_waits_for_long(self) -> None:
        rng = np.random.default_rng(3)
        with mock.patch.object(summary, "_LONGEST_WAIT_SAMPLES", 5_000):
            self.check(rng, self.signals(rng), 20_000)

    def test_one_that_is_given_up_holds_nobody_up(self) -> None:
        signals = [noise(1.0, seed=seed) for seed in range(3)]
        together = Summarizers(RATE_HZ, [STEREO] * 3)
        together.process(1, signals[1][:, :1000])
        together.process(0, signals[0])
        together.process(2, signals[2])
        together.drop(1)
        for signal in (2, 0):
            self.assert_alike(together.finish(signal), self.alone(signals[signal]))
