"""The matrix between two sides, and lows without sides."""

import unittest

import numpy as np

from gemischt.core.engine.placement import Matrix
from gemischt.core.errors import InvalidSession
from gemischt.core.processors.matrix_params import MATRICES
from gemischt.core.session.actions import apply_action, parse_action
from tests.support.sessions import Bench
from tests.support.signals import RATE_HZ, Signal, impulse, noise, sine


def through(signal: Signal, *chain: dict[str, object], **fields: object) -> Signal:
    bench = Bench()
    bench.track("x", signal, chain=list(chain), **fields)
    return bench.render(signal.shape[1])


def matrix(name: str) -> dict[str, object]:
    return {"id": name.replace(" ", "-"), "type": "matrix", "params": MATRICES[name].model_dump()}


class MatrixTest(unittest.TestCase):
    def test_each_preset_is_its_four_gains(self) -> None:
        pair = np.stack([noise(0.1, channels=1)[0], noise(0.1, channels=1, seed=2)[0]])
        for name, params in MATRICES.items():
            wanted: Matrix = np.array(params.rows) @ pair
            with self.subTest(name):
                np.testing.assert_allclose(through(pair, matrix(name)), wanted, atol=1e-6)

    def test_decoding_gives_back_what_was_encoded(self) -> None:
        pair = np.stack([noise(0.1, channels=1)[0], noise(0.1, channels=1, seed=2)[0]])
        encode, decode = "middle and side out of left and right", "left and right out of middle and side"
        np.testing.assert_allclose(through(pair, matrix(encode), matrix(decode)), pair, atol=1e-6)

    def test_what_is_alike_is_removed(self) -> None:
        self.assertLess(np.abs(through(sine(440.0, -6.0, 0.1), matrix("remove the middle"))).max(), 1e-9)


class MonoBelowTest(unittest.TestCase):
    """Linkwitz-Riley: the upper half is w^n / (1 + w^n) with w the frequency over the crossover, n 2 or 4."""

    def response(self, audio: Signal, slope: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        out = through(audio, mono_below_hz=120.0, mono_below_slope_db_per_octave=slope)
        return np.fft.rfftfreq(audio.shape[1], 1.0 / RATE_HZ), np.fft.rfft(out[0]), np.fft.rfft(out[1])

    def test_the_side_falls_as_the_crossover_says_and_the_middle_stays(self) -> None:
        one = impulse(1 << 16, channels=1)[0]
        for slope, n in ((12, 2), (24, 4)):
            hz, left, right = self.response(np.stack([one, -one]), slope)
            for at_hz in (30.0, 60.0, 120.0, 240.0, 2000.0):
                with self.subTest(slope=slope, hz=at_hz):
                    w = (at_hz / 120.0) ** n
                    k = int(np.argmin(np.abs(hz - at_hz)))
                    wanted_db = 20 * np.log10(w / (1 + w))
                    self.assertAlmostEqual(20 * np.log10(abs(left[k] - right[k]) / 2), wanted_db, delta=0.15)
            hz, left, right = self.response(np.stack([one, one]), slope)
            heard = (hz > 20.0) & (hz < 20000.0)
            np.testing.assert_allclose(np.abs(left[heard]), 1.0, atol=1e-3)

    def test_above_it_what_is_on_one_side_stays_there(self) -> None:
        one = impulse(1 << 16, channels=1)[0]
        for slope, leak_db in ((12, -36.0), (24, -70.0)):
            hz, left, right = self.response(np.stack([one, np.zeros_like(one)]), slope)
            above = (hz > 960.0) & (hz < 18000.0)
            with self.subTest(slope):
                self.assertLess(20 * np.log10(np.abs(right[above]).max()), leak_db)
                self.assertLess(np.abs(20 * np.log10(np.abs(left[above]))).max(), 0.2)

    def test_it_works_behind_the_fader_and_before_pan_and_leaves_earlier_taps_alone(self) -> None:
        low = np.concatenate([sine(40.0, -6.0, 1.0, channels=1), -sine(40.0, -6.0, 1.0, channels=1)])
        bench = Bench()
        send = {"id": "s", "to": "ear", "tap": "pre-fader"}
        bench.track("x", low, mono_below_hz=200.0, output=None, sends=[send])
        bench.bus("ear")
        out = bench.render(RATE_HZ)
        self.assertAlmostEqual(float(np.abs(out[0, 24000:]).max()), 10 ** (-6 / 20), delta=0.01)

    def test_blocks_do_not_matter_and_a_change_does_not_click(self) -> None:
        pair = np.stack([noise(0.5, channels=1)[0], noise(0.5, channels=1, seed=2)[0]])
        bench = Bench()
        bench.track("x", pair, mono_below_hz=150.0)
        whole = bench.render(24000, max_block=1024)
        for block in (64, 100, 512):
            np.testing.assert_allclose(bench.render(24000, max_block=block), whole, atol=1e-12)
        tone = sine(1000.0, -6.0, 0.5)
        bench = Bench()
        bench.track("x", tone, mono_below_hz=150.0)
        renderer = bench.renderer(max_block=512)
        parts = [renderer.render(9600)]
        for change in ({"mono_below_hz": 400.0}, {"mono_below_slope_db_per_octave": 12}, {"mono_below_hz": None}):
            action = parse_action({"type": "set-strips", "changes": [{"strip": "x", **change}]})
            renderer.edit(apply_action(bench.session(), action), bench.media)
            parts.append(renderer.render(4800))
        out = np.concatenate(parts, axis=1)
        self.assertLess(np.abs(np.diff(out[0], 2)).max(), 2.0 * np.abs(np.diff(tone[0], 2)).max())

    def test_more_than_two_channels_have_no_sides(self) -> None:
        bench = Bench()
        bench.bus("bed", layout="quad", mono_below_hz=100.0)
        with self.assertRaises(InvalidSession) as refused:
            bench.session()
        self.assertIn("mono lows are for two channels", str(refused.exception))


if __name__ == "__main__":
    unittest.main()
