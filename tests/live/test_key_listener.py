"""Hearing a key in place of the mix: no step where one turns into the other, whatever is chosen however quickly."""

import unittest

import numpy as np

from gemischt.live.key_listener import KeyListener
from gemischt.live.monitor import GLIDE_SAMPLES
from tests.support.sessions import Bench, compressor
from tests.support.signals import RATE_HZ, sine

BLOCK = 128


class KeyListenerTest(unittest.TestCase):
    def setUp(self) -> None:
        self.bench = Bench()
        self.bench.track("low", sine(100.0, -6.0, 2.0), chain=[compressor("own")])
        self.bench.track("high", sine(300.0, -14.0, 2.0))
        keyed = compressor("keyed", {"from": "high", "tap": "pre-fader"})
        self.bench.strips[0]["chain"].append(keyed)
        self.renderer = self.bench.renderer(max_block=BLOCK)
        self.listener = KeyListener()

    def heard(self, n_blocks: int) -> np.ndarray:
        parts = []
        for _ in range(n_blocks):
            sound = np.array(self.renderer.render_block(BLOCK))
            parts.append(np.array(self.listener.process(self.renderer.plan, sound, BLOCK)))
        return np.concatenate(parts, axis=1)

    def test_the_mix_is_left_as_it_is_while_no_key_is_heard(self) -> None:
        mix = self.bench.render(40 * BLOCK)
        np.testing.assert_array_equal(self.heard(40), mix)

    def test_a_key_is_heard_alone_and_the_mix_comes_back(self) -> None:
        self.listener.choose(("low", "keyed"))
        key = self.heard(40)[:, 2 * GLIDE_SAMPLES :]
        expected = sine(300.0, -14.0, 2.0)[0, 2 * GLIDE_SAMPLES : 40 * BLOCK]
        np.testing.assert_allclose(key[0], expected, atol=1e-9)
        self.listener.choose(None)
        mix = self.heard(40)[:, 2 * GLIDE_SAMPLES :]
        np.testing.assert_allclose(mix, self.bench.render(80 * BLOCK)[:, 40 * BLOCK + 2 * GLIDE_SAMPLES :], atol=1e-12)

    def test_no_choice_steps_however_quickly_it_comes(self) -> None:
        rng = np.random.default_rng(5)
        choices = [None, ("low", "own"), ("low", "keyed"), ("gone", "gone")]
        parts = []
        for _ in range(150):
            self.listener.choose(choices[int(rng.integers(len(choices)))])
            parts.append(self.heard(int(rng.integers(1, 4))))
        heard = np.concatenate(parts, axis=1)
        # The steepest of what is heard (the mix of both tones, at most 0.7), and of the way between two of them.
        steepest = 2.0 * np.pi * (0.5 * 100.0 + 0.2 * 300.0) / RATE_HZ + 1.4 / GLIDE_SAMPLES
        self.assertLess(np.abs(np.diff(heard)).max(), steepest)
        self.assertGreater(np.abs(heard).max(), 0.1)


if __name__ == "__main__":
    unittest.main()
