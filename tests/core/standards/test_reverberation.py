"""The reverb against ISO 3382-1 backward integration, echo density, and the statistics of a ring-free tail.

Sources: ISO 3382-1 (Schroeder's backward integration, T30 from -5 to -35 dB), text from memory; J. S. Abel and
P. Huang, "A simple, robust measure of reverberation echo density", 121st AES Convention, 2006, from memory; line gains
of Jot 1991.
"""

import unittest
from typing import Any

import numpy as np
from scipy import signal as scipy_signal

from gemischt.core.processors.reverb import absorption, line_lengths
from gemischt.core.processors.reverb_params import ReverbParams
from tests.support.places import Alone
from tests.support.signals import RATE_HZ, Signal

OCTAVES_HZ = (125, 250, 500, 1000, 2000, 4000, 8000)


def response(
    length_s: float, *, click: tuple[float, float] = (1.0, 1.0), after_s: float = 0.0, **params: Any
) -> Signal:
    """What a click on both sides brings, (2, n), some time after the room was built: it never stands still."""
    n = round(length_s * RATE_HZ)
    made = Alone("reverb", max_block=max(n, RATE_HZ))
    made.set(ReverbParams(pre_delay_ms=0.0, **params))
    quiet = round(after_s * RATE_HZ)
    made.process(np.zeros((2, quiet)), np.zeros((2, quiet)), quiet)
    audio = np.zeros((2, n))
    audio[:, 0] = click
    made.process(audio, audio, n)
    return audio


def positions(length_s: float, **params: Any) -> list[np.ndarray]:
    """Impulse responses to average over, as the standard does over places of source and listener."""
    sources = ((1.0, 0.0), (0.0, 1.0), (1.0, -1.0))
    return [
        side for k, click in enumerate(sources) for side in response(length_s, click=click, after_s=0.3 * k, **params)
    ]


def t30_s(impulse_response: np.ndarray) -> float:
    """Decay time of 60 dB fitted from -5 to -35 dB of the backward integral."""
    energy = np.cumsum(impulse_response[::-1] ** 2)[::-1]
    decay_db = 10 * np.log10(np.maximum(energy / energy[0], 1e-30))
    first, last = np.argmax(decay_db < -5.0), np.argmax(decay_db < -35.0)
    times = np.arange(first, last) / RATE_HZ
    slope, _ = np.polyfit(times, decay_db[first:last], 1)
    return float(-60.0 / slope)


class DecayTest(unittest.TestCase):
    def test_the_dial_is_the_decay_in_every_octave(self) -> None:
        for decay_s in (0.4, 1.5, 4.0):
            heard = positions(1.6 * decay_s + 0.3, decay_s=decay_s, damping=0.0)
            for centre_hz in OCTAVES_HZ:
                with self.subTest(decay_s=decay_s, octave_hz=centre_hz):
                    band = [centre_hz / 2**0.5, min(centre_hz * 2**0.5, 0.49 * RATE_HZ)]
                    sos = scipy_signal.butter(3, band, btype="bandpass", fs=RATE_HZ, output="sos")
                    measured = np.mean([t30_s(scipy_signal.sosfilt(sos, side)) for side in heard])
                    self.assertAlmostEqual(float(measured) / decay_s, 1.0, delta=0.05)

    def test_first_reflections_leave_the_decay_as_it_is(self) -> None:
        heard = positions(3.0, decay_s=1.5, damping=0.0, early=0.5)
        self.assertAlmostEqual(np.mean([t30_s(ir[RATE_HZ // 10 :]) for ir in heard]) / 1.5, 1.0, delta=0.05)

    def test_the_shortest_and_the_longest(self) -> None:
        for decay_s, length_s in ((0.1, 0.5), (20.0, 24.0)):
            with self.subTest(decay_s=decay_s):
                heard = positions(length_s, decay_s=decay_s, damping=0.0, size=0.3)
                self.assertAlmostEqual(np.mean([t30_s(ir) for ir in heard]) / decay_s, 1.0, delta=0.05)

    def test_line_gains_are_those_of_the_paper(self) -> None:
        # g = 10^(-3 d / (fs T60)): check table, 48 kHz, T60 2 s.
        for delay, gain in ((1499, 0.89775173), (1889, 0.87290856), (2381, 0.84254625), (2999, 0.80590017)):
            with self.subTest(delay=delay):
                found = absorption(ReverbParams(decay_s=2.0, damping=0.0), np.array([delay] * 16), RATE_HZ)
                self.assertAlmostEqual(found[0], gain, places=7)
                self.assertEqual(found[16], 0.0)

    def test_damping_shortens_the_highs_only(self) -> None:
        heard = positions(3.0, decay_s=2.0, damping=0.7)
        low = scipy_signal.butter(3, [90, 180], btype="bandpass", fs=RATE_HZ, output="sos")
        high = scipy_signal.butter(3, [5600, 11300], btype="bandpass", fs=RATE_HZ, output="sos")
        self.assertAlmostEqual(np.mean([t30_s(scipy_signal.sosfilt(low, ir)) for ir in heard]), 2.0, delta=0.15)
        self.assertLess(np.mean([t30_s(scipy_signal.sosfilt(high, ir)) for ir in heard]), 1.5)


class DensityTest(unittest.TestCase):
    def test_more_than_a_thousand_echoes_a_second_after_80_ms(self) -> None:
        for size in (0.2, 0.6, 1.0):
            with self.subTest(size=size):
                ir = np.abs(response(0.4, decay_s=2.0, size=size, damping=0.0)[0])
                part = ir[round(0.08 * RATE_HZ) : round(0.18 * RATE_HZ)]
                # Echoes: local maxima within 20 dB of the loudest in the window.
                peaks, _ = scipy_signal.find_peaks(part, height=0.1 * part.max())
                self.assertGreater(len(peaks) / 0.1, 1000.0)

    def test_the_tail_is_as_dense_as_noise(self) -> None:
        ir = response(0.6, decay_s=2.0, size=0.6, damping=0.0)[0]
        window = ir[round(0.12 * RATE_HZ) : round(0.17 * RATE_HZ)]
        outside = np.mean(np.abs(window) > np.std(window)) / 0.3173
        self.assertGreater(outside, 0.85)

    def test_a_click_leaves_no_metallic_ring(self) -> None:
        # Noise through a smooth decay has exponentially distributed power: the loudest of N lines stands about
        # ln N over the mean. A ringing mode would stand far above that, long after the rest is gone.
        for size in (0.2, 0.4, 0.6, 1.0):
            with self.subTest(size=size):
                ir = response(3.0, decay_s=2.0, size=size, damping=0.0)[0]
                rising = 10.0 ** (3.0 * np.arange(len(ir)) / RATE_HZ / 2.0)
                part = (ir * rising)[round(1.0 * RATE_HZ) : round(2.0 * RATE_HZ)]
                power = np.abs(np.fft.rfft(part * np.hanning(len(part)))) ** 2
                inside = power[100:18000]
                local = scipy_signal.medfilt(inside, 501) / np.log(2.0)
                self.assertLess(float(np.max((inside / local)[250:-250])), 3.0 * np.log(len(inside)))
                kurtosis = float(np.mean(part**4) / np.mean(part**2) ** 2)
                self.assertAlmostEqual(kurtosis, 3.0, delta=0.3)


class SoundTest(unittest.TestCase):
    def test_lines_are_distinct_primes_at_every_size_and_rate(self) -> None:
        for rate in (44100, 48000, 96000):
            for size in (0.0, 0.37, 1.0):
                with self.subTest(rate=rate, size=size):
                    lengths = line_lengths(size, 2.0, rate)
                    self.assertEqual(len(set(lengths.tolist())), 16)
                    for length in lengths:
                        self.assertTrue(all(length % k for k in range(2, int(length**0.5) + 1)))

    def test_loudness_hardly_depends_on_the_decay(self) -> None:
        levels = [
            10 * np.log10(np.sum(response(8.0, decay_s=decay_s, damping=0.0)[0] ** 2)) for decay_s in (0.5, 2.0, 5.0)
        ]
        self.assertLess(max(levels) - min(levels), 1.5)

    def test_sides_are_independent_and_width_zero_makes_them_one(self) -> None:
        wide = response(1.0, decay_s=1.0, damping=0.0)
        self.assertLess(abs(float(np.corrcoef(wide)[0, 1])), 0.15)
        narrow = response(1.0, decay_s=1.0, damping=0.0, width=0.0)
        np.testing.assert_allclose(narrow[0], narrow[1], atol=1e-12)

    def test_first_reflections_come_at_once_and_from_the_side_of_what_they_answer(self) -> None:
        # Common practice, no source: within 5 ms, and nearer to the side of the source the earlier they come.
        early = response(0.2, click=(1.0, 0.0), early=1.0) - response(0.2, click=(1.0, 0.0), early=0.0)
        arrivals = np.flatnonzero(early[0])
        self.assertLess(arrivals[0], round(0.005 * RATE_HZ))
        self.assertEqual(len(arrivals), 12)
        self.assertAlmostEqual(float(np.sum(early**2)), 1.0, places=9)
        crossing = np.abs(early[1][arrivals] / early[0][arrivals])
        self.assertTrue(np.all(np.diff(crossing) >= -1e-9), crossing)
        self.assertLess(crossing[0], 0.12)
        np.testing.assert_allclose(
            response(0.2, click=(0.0, 1.0), early=1.0) - response(0.2, click=(0.0, 1.0), early=0.0),
            early[::-1],
            atol=1e-12,
        )

    def test_first_reflections_wait_as_long_as_the_room(self) -> None:
        made = Alone("reverb", max_block=RATE_HZ)
        made.set(ReverbParams(pre_delay_ms=50.0, early=1.0))
        audio = np.zeros((2, RATE_HZ))
        audio[:, 0] = 1.0
        made.process(audio, audio, RATE_HZ)
        self.assertEqual(int(np.flatnonzero(audio[0])[0]), 2400 + round(0.0017 * RATE_HZ))

    def test_the_pre_delay_moves_everything_to_the_sample(self) -> None:
        near = response(0.5, decay_s=1.0)
        n = near.shape[1]
        made = Alone("reverb", max_block=n)
        made.set(ReverbParams(pre_delay_ms=50.0, decay_s=1.0))
        far = np.zeros((2, n))
        far[:, 0] = 1.0
        made.process(far, far, n)
        # The matrix turns on meanwhile: only the first arrivals, which have not passed it, are the same.
        first = int(np.flatnonzero(near[0])[0])
        self.assertEqual(int(np.flatnonzero(far[0])[0]), first + 2400)
        np.testing.assert_allclose(far[:, first + 2400 : first + 2460], near[:, first : first + 60], atol=1e-12)

    def test_turning_every_dial_while_it_sounds_does_not_click(self) -> None:
        tone = 0.25 * np.sin(2 * np.pi * 100 * np.arange(RATE_HZ) / RATE_HZ)
        turned = {
            "size": 0.1,
            "decay_s": 0.3,
            "pre_delay_ms": 80.0,
            "damping": 1.0,
            "diffusion": 0.0,
            "early": 1.0,
            "width": 0.0,
            "wet": 0.2,
            "low_cut_hz": 400.0,
            "high_cut_hz": 700.0,
        }
        for name, value in turned.items():
            with self.subTest(name):
                made = Alone("reverb")
                made.set(ReverbParams())
                first = np.stack([tone, tone])
                made.process(first, first, RATE_HZ)
                made.set(ReverbParams(**{name: value}), glide=True)
                second = np.stack([tone, tone])
                made.process(second, second, RATE_HZ)
                out = np.concatenate([first[:, -4800:], second[:, :9600]], axis=1)
                # A jump of a tenth of the level would have a second difference of 0.02.
                self.assertLess(float(np.abs(np.diff(out, n=2, axis=1)).max()), 2e-3)
