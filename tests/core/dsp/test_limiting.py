"""The limiter's shortcuts: what is left out because no peak can get that high must never get that high."""

import unittest

import numpy as np

from gemischt.core.dsp import interpolation, limiting
from gemischt.core.dsp.interpolation import LONG_FIRST, SECOND, SHORTENED
from gemischt.core.processors.limiter import Limiter
from gemischt.core.processors.limiter_params import LimiterParams
from tests.support.kernels import by_kernel
from tests.support.places import Alone
from tests.support.signals import RATE_HZ

N = 256
KEEP = limiting.KEPT_SAMPLES
find_points, find_tops = by_kernel(interpolation.find_points), by_kernel(limiting._find_tops)
_stays_below = by_kernel(limiting._stays_below)


def highest_top(joint: np.ndarray, n: int) -> float:
    points, tops = np.empty(4 * N + 4, np.float32), np.empty(N, np.float32)
    find_points(points, np.empty(4 * N, np.float32), joint, n, LONG_FIRST, SECOND)
    find_tops(tops, points, n)
    return float(tops[:n].max())


def stays_below(level: float, joint: np.ndarray, n: int) -> bool:
    scratch = np.empty(4 * N + 4, np.float32), np.empty(4 * N, np.float32)
    return bool(_stays_below(level, joint, n, *scratch, SECOND))


def worst(weights: np.ndarray, n: int) -> np.ndarray:
    """Samples of one or minus one, all of which push the same way wherever as many as weights are over."""
    signal = np.ones(KEEP + n)
    signs = np.sign(weights[::-1])
    for end in range(weights.size, signal.size, weights.size):
        signal[end - weights.size : end] = signs
    return signal


def signals(random: np.random.Generator, n: int) -> list[np.ndarray]:
    size, time = KEEP + n, np.arange(KEEP + n)
    outer = LONG_FIRST.copy()
    outer[limiting._BESIDE : -limiting._BESIDE] -= SHORTENED
    rough = random.standard_normal(size)
    return [
        rough,
        np.cumsum(rough) / 10.0,
        np.sign(rough),
        rough * (random.random(size) < 0.02),
        np.sin(time * random.uniform(0.001, 3.1) + random.uniform(0, 6)),
        np.cos(np.pi * time),
        np.ones(size),
        np.roll(worst(LONG_FIRST, n), int(random.integers(size))),
        np.roll(worst(outer, n), int(random.integers(size))),
        np.roll(np.r_[worst(outer, n)[: size // 2], -worst(outer, n)[size // 2 :]], int(random.integers(size))),
    ]


class StaysBelowTest(unittest.TestCase):
    def test_no_level_that_is_reached_is_said_to_be_out_of_reach(self) -> None:
        random = np.random.default_rng(5)
        for n in (N, N, N, 100, 17, 1) * 12:
            for signal in signals(random, n):
                joint = (random.uniform(0.01, 2.0) * signal).astype(np.float32)
                top = highest_top(joint, n)
                for level in (0.5 * top, 0.9 * top, 0.999 * top, 0.99999 * top):
                    self.assertFalse(stays_below(level, joint, n) and top > level)

    def test_it_is_seen_where_it_matters(self) -> None:
        time = np.arange(KEEP + N)
        rough = np.random.default_rng(6).standard_normal(KEEP + N).clip(-3.0, 3.0)
        # From the samples' height, from their bend, from the shortened filter.
        for signal, margin in ((rough, 4.5), (np.sin(0.02 * time), 1.01), (rough, 2.3)):
            joint = signal.astype(np.float32)
            self.assertTrue(stays_below(margin * float(np.abs(joint).max()), joint, N))


class NothingAskedForTest(unittest.TestCase):
    def test_a_limiter_that_rests_goes_on_to_the_sample(self) -> None:
        random = np.random.default_rng(7)
        loudness = np.interp(
            np.arange(3 * RATE_HZ), np.arange(0, 3.1, 0.5) * RATE_HZ, [0.1, 2.0, 0.05, 0.05, 3.0, 0, 1]
        )
        signal = loudness * random.standard_normal((2, loudness.size)) * 0.4
        rendered = {block: self._rendered(signal, block) for block in (512, 64, 4096, 97)}
        for block, out in rendered.items():
            np.testing.assert_array_equal(out, rendered[512], err_msg=f"blocks of {block}")

    def test_what_comes_a_second_after_a_burst_passes_untouched(self) -> None:
        signal = 0.02 * np.random.default_rng(8).standard_normal((2, 3 * RATE_HZ))
        signal[:, 100:200] *= 100.0
        made, lag = self._rendered(signal, 512), Limiter.latency_of(LimiterParams(), RATE_HZ)
        self.assertGreater(np.abs(made[:, lag : lag + 1000] - signal[:, :1000]).max(), 0.5)
        np.testing.assert_allclose(made[:, RATE_HZ + lag :], signal[:, RATE_HZ:-lag], rtol=1e-12)

    def _rendered(self, signal: np.ndarray, block: int) -> np.ndarray:
        made = Alone("limiter", max_block=block)
        made.set(LimiterParams(ceiling_dbtp=-1.0, release_ms=20.0))
        out = np.empty_like(signal)
        for start in range(0, signal.shape[1], block):
            part = signal[:, start : start + block]
            made.audio[:, : part.shape[1]] = part
            made.run(part.shape[1])
            out[:, start : start + block] = made.audio[:, : part.shape[1]]
        return out


if __name__ == "__main__":
    unittest.main()
