"""The widener against closed forms: power kept, correlation and loss in mono as they are said to be."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.analysis.reports.widening import widened_loss_db
from gemischt.core.metering.bands import band_powers
from gemischt.core.processors.widener_params import WidenerParams
from tests.support.places import Alone
from tests.support.signals import RATE_HZ, Signal, noise, sine


def widened(audio: Signal, **params: Any) -> Signal:
    out = audio.copy()
    made = Alone("widener", n_channels=len(audio), max_block=audio.shape[1])
    made.set(WidenerParams(**params))
    made.process(out, out, out.shape[1])
    return out


def loss_db(audio: Signal) -> float:
    """Mean power of both sides over that of their average."""
    return float(10.0 * np.log10((audio**2).mean() / (audio.mean(axis=0) ** 2).mean()))


class DecorrelatedTest(unittest.TestCase):
    def test_power_correlation_and_loss_are_the_closed_forms(self) -> None:
        middle = np.tile(noise(8.0, channels=1, level=0.1), (2, 1))
        for amount in (0.0, 0.3, 0.7, 1.0):
            with self.subTest(amount):
                out = widened(middle, amount=amount)[:, 4800:]
                self.assertAlmostEqual(float((out**2).sum() / (middle[:, 4800:] ** 2).sum()), 1.0, delta=0.02)
                square = amount * amount
                correlation = float(np.corrcoef(out)[0, 1])
                self.assertAlmostEqual(correlation, (1.0 - square) / (1.0 + square), delta=0.02)
                self.assertAlmostEqual(loss_db(out), 10.0 * np.log10(1.0 + square), delta=0.05)

    def test_mono_keeps_its_colour(self) -> None:
        middle = np.tile(noise(2.0, channels=1, level=0.1), (2, 1))
        out = widened(middle, amount=1.0)
        np.testing.assert_allclose(out.mean(axis=0), 0.5**0.5 * middle[0], atol=1e-12)

    def test_sides_that_are_there_stay(self) -> None:
        side = noise(1.0, channels=1, level=0.1)
        opposed = np.concatenate([side, -side])
        np.testing.assert_allclose(widened(opposed, amount=1.0), 0.5**0.5 * opposed, atol=1e-12)


class OffsetTest(unittest.TestCase):
    def test_one_side_comes_later_by_so_much(self) -> None:
        pair = noise(0.5, level=0.1)
        for offset_ms in (-7.0, 0.0, 12.5):
            n = round(abs(offset_ms) * RATE_HZ / 1000)
            out = widened(pair, mode="offset", offset_ms=offset_ms)
            late, early = (1, 0) if offset_ms > 0.0 else (0, 1)
            np.testing.assert_array_equal(out[early], pair[early])
            np.testing.assert_array_equal(out[late, n:], pair[late, : pair.shape[1] - n])

    def test_mono_combs(self) -> None:
        """A copy 1 ms late: the first notch at 500 Hz, the first peak at 1 kHz (identity)."""
        for frequency_hz, expected in ((500.0, 0.0), (1000.0, 1.0), (250.0, 0.5**0.5)):
            tone = np.tile(sine(frequency_hz, -12.0, 1.0, channels=1), (2, 1))
            mono = widened(tone, mode="offset", offset_ms=1.0).mean(axis=0)[4800:]
            ratio = float(np.sqrt((mono**2).mean() / (tone[0, 4800:] ** 2).mean()))
            self.assertAlmostEqual(ratio, expected, delta=0.01)


class ForetoldTest(unittest.TestCase):
    def test_the_loss_that_is_foretold_is_the_loss_there_is(self) -> None:
        one, other = noise(4.0, channels=1, level=0.1), noise(4.0, channels=1, level=0.1, seed=5)
        low = np.tile(sine(90.0, -12.0, 4.0, channels=1) + sine(1700.0, -18.0, 4.0, channels=1), (2, 1))
        signals = {"alike": np.tile(one, (2, 1)), "wide": np.concatenate([one, 0.6 * one + 0.5 * other]), "tones": low}
        for name, signal in signals.items():
            for params in (
                {"amount": 0.7},
                {"amount": 0.2},
                {"mode": "offset", "offset_ms": 12.0},
                {"mode": "offset", "offset_ms": -3.0},
            ):
                if name == "tones" and "mode" in params:
                    # Of a tone the phase counts, not the mean of its band's.
                    continue
                with self.subTest(name, **params):
                    foretold = widened_loss_db(band_powers(signal, RATE_HZ), WidenerParams.model_validate(params))
                    self.assertAlmostEqual(foretold, loss_db(widened(signal, **params)[:, 4800:]), delta=0.3)


class OneChannelTest(unittest.TestCase):
    def test_one_channel_has_no_sides(self) -> None:
        one = noise(0.2, channels=1)
        np.testing.assert_array_equal(widened(one), one)


if __name__ == "__main__":
    unittest.main()
