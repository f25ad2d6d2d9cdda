"""Delay, saturator, limiter and gain: repeats to the sample, aliases, ceilings, matrices."""

import unittest
from itertools import pairwise
from typing import Any

import numpy as np

from gemischt.core.metering.true_peak import TruePeakMeter
from gemischt.core.processors.delay import DelayProcessor
from gemischt.core.processors.delay_params import DelayParams
from gemischt.core.processors.gain import GainProcessor
from gemischt.core.processors.gain_params import GainParams
from gemischt.core.processors.limiter import Limiter
from gemischt.core.processors.limiter_params import LimiterParams
from gemischt.core.processors.saturator import Saturator
from gemischt.core.processors.saturator_params import SaturatorParams
from tests.support.places import place
from tests.support.sessions import Bench
from tests.support.signals import RATE_HZ, Signal, impulse, noise, sine


def delayed(signal: Signal, **params: Any) -> Signal:
    made = DelayProcessor(place(max_block=signal.shape[1]))
    made.set(DelayParams(**params), on=True, glide=False)
    out = signal.copy()
    made.process(out, out, out.shape[1])
    return out


class DelayTest(unittest.TestCase):
    def test_repeats_stand_where_they_should_and_fall_by_the_feedback(self) -> None:
        out = delayed(impulse(RATE_HZ, channels=2), time_ms=100.0, feedback=0.5)
        expected = np.zeros(RATE_HZ)
        for number in range(1, 10):
            expected[4800 * number] = 0.5 ** (number - 1)
        np.testing.assert_allclose(out[0], expected, atol=1e-12)
        np.testing.assert_allclose(out[1], expected, atol=1e-12)

    def test_ping_pong_goes_from_side_to_side(self) -> None:
        signal = impulse(RATE_HZ, channels=2)
        signal[1] = 0.0
        out = delayed(2.0 * signal, time_ms=100.0, feedback=0.5, ping_pong=True)
        self.assertEqual([round(float(out[0, 4800 * k]), 6) for k in range(1, 5)], [1.0, 0.0, 0.25, 0.0])
        self.assertEqual([round(float(out[1, 4800 * k]), 6) for k in range(1, 5)], [0.0, 0.5, 0.0, 0.125])

    def test_note_values_follow_the_song(self) -> None:
        # Tempo table: quarter = 60000 / bpm, dotted x 1.5, triplet x 2/3.
        table = (("1/8", 120, 250), ("1/8.", 124, 362.903), ("1/4T", 100, 400), ("1/16", 128, 117.188))
        for note, bpm, milliseconds in table:
            with self.subTest(note=note, bpm=bpm):
                bench = Bench(tempo=[{"bpm": bpm}])
                chain = [{"id": "d", "type": "delay", "params": {"note": note, "feedback": 0.0}}]
                bench.track("click", impulse(RATE_HZ, channels=2), chain=chain)
                out = bench.render(RATE_HZ)
                self.assertEqual(int(np.argmax(out[0])), round(milliseconds * 48))

    def test_cuts_inside_the_loop_work_once_more_on_each_repeat(self) -> None:
        tone = sine(5000, -6, 0.05)
        signal = np.zeros((2, RATE_HZ))
        signal[:, : tone.shape[1]] = tone
        out = delayed(signal, time_ms=100.0, feedback=0.9, high_cut_hz=5000.0)
        levels = [float(np.abs(out[0, 4800 * k + 500 : 4800 * k + 2000]).max()) for k in (1, 2, 3)]
        # A one-pole at its corner: -3 dB each time, beside the feedback.
        for before, after in pairwise(levels):
            self.assertAlmostEqual(20 * np.log10(after / before), -3.0 - 0.9, delta=0.4)

    def test_a_changed_time_is_crossfaded(self) -> None:
        tone = sine(100, -12, 1.0)
        made = DelayProcessor(place())
        made.set(DelayParams(time_ms=200.0, feedback=0.3), on=True, glide=False)
        first, second = tone.copy(), tone.copy()
        made.process(first, first, RATE_HZ)
        made.set(DelayParams(time_ms=333.0, feedback=0.3), on=True, glide=True)
        made.process(second, second, RATE_HZ)
        out = np.concatenate([first[:, -4800:], second[:, :9600]], axis=1)
        self.assertLess(float(np.abs(np.diff(out, n=2, axis=1)).max()), 1e-3)

    def test_four_seconds_are_there(self) -> None:
        out = delayed(impulse(5 * RATE_HZ, channels=2), time_ms=4000.0, feedback=0.0)
        self.assertEqual(int(np.argmax(out[0])), 4 * RATE_HZ)


def saturated(signal: Signal, **params: Any) -> Signal:
    made = Saturator(place(n_channels=signal.shape[0], max_block=signal.shape[1], latency_samples=40))
    made.set(SaturatorParams(**params), on=True, glide=False)
    out = signal.copy()
    made.process(out, out, out.shape[1])
    return out[:, 40:]


class SaturatorTest(unittest.TestCase):
    def test_aliases_of_a_sweep_stay_80_db_down_at_moderate_drive(self) -> None:
        # Moderate: +12 dB into the bend at -6 dBFS. Whatever is no harmonic under half the rate is an alias.
        n = RATE_HZ
        for frequency_hz in (1000, 2500, 5000, 7000, 9000, 11000, 13000, 15000):
            with self.subTest(frequency_hz=frequency_hz):
                out = saturated(sine(frequency_hz, -6, 1.2, channels=1), drive_db=12.0)[0, 4800 : 4800 + n]
                spectrum = np.abs(np.fft.rfft(out * np.blackman(n)))
                fundamental = spectrum[frequency_hz]
                for harmonic in range(0, RATE_HZ // 2 + 1, frequency_hz):
                    spectrum[max(0, harmonic - 4) : harmonic + 5] = 0.0
                # Between 20 kHz and half the rate lies the filters' slope, which is given up.
                self.assertLess(20 * np.log10(spectrum[:20000].max() / fundamental), -80.0)

    def test_quiet_signals_keep_their_level_whatever_the_drive(self) -> None:
        for drive_db in (0.0, 12.0, 36.0):
            with self.subTest(drive_db=drive_db):
                tone = sine(1000, -80, 0.5, channels=1)
                out = saturated(tone, drive_db=drive_db)
                self.assertAlmostEqual(float(np.abs(out[0, 2000:]).max() / np.abs(tone).max()), 1.0, delta=0.01)

    def test_the_curve_is_the_hyperbolic_tangent(self) -> None:
        steady = np.full((1, 4000), 0.5)
        out = saturated(steady, drive_db=20.0)
        self.assertAlmostEqual(float(out[0, 3000]), float(np.tanh(5.0) / 10.0), places=6)

    def test_lean_adds_even_harmonics(self) -> None:
        for lean, even in ((0.0, False), (1.0, True)):
            with self.subTest(lean=lean):
                out = saturated(sine(1000, -6, 1.2, channels=1), drive_db=9.0, lean=lean)[0, 4800:52800]
                spectrum = np.abs(np.fft.rfft(out * np.blackman(48000)))
                self.assertEqual(20 * np.log10(spectrum[2000] / spectrum[1000]) > -60.0, even)

    def test_dry_and_bent_meet_in_time(self) -> None:
        signal = noise(0.2, channels=1, level=1e-4)
        out = saturated(signal, drive_db=0.0, mix=0.5)
        # Far below the bend both are the same below the filters' slope: no comb.
        spectrum = np.abs(np.fft.rfft(out[0, :8192])) / np.abs(np.fft.rfft(signal[0, :8192]))
        self.assertAlmostEqual(float(np.median(spectrum[100:3000])), 1.0, delta=0.02)


def limited(signal: Signal, **params: Any) -> Signal:
    table = LimiterParams(**params)
    lag = Limiter.latency_of(table, RATE_HZ)
    made = Limiter(place(n_channels=signal.shape[0], max_block=signal.shape[1], latency_samples=lag))
    made.set(table, on=True, glide=False)
    out = signal.copy()
    made.process(out, out, out.shape[1])
    return out


def true_peak_dbtp(signal: Signal) -> float:
    meter = TruePeakMeter(signal.shape[0], max_block=signal.shape[1])
    meter.process(signal, signal.shape[1])
    return meter.max_dbtp


class LimiterTest(unittest.TestCase):
    def test_true_peaks_stay_under_the_ceiling(self) -> None:
        # Gaussian noise of rms 0.5 (check table, look-ahead limiter), and tones whose peaks lie between the samples.
        cases = {
            "noise": noise(2.0, level=0.5),
            "fs/4": sine(12000, 3, 1.0, phase_deg=45.0),
            "fs/6": sine(8000, 6, 1.0, phase_deg=60.0),
            "steps": np.repeat(np.sign(noise(0.5, level=1.0)[:, ::100]), 100, axis=1),
        }
        for name, signal in cases.items():
            for release_ms in (1.0, 80.0):
                with self.subTest(name=name, release_ms=release_ms):
                    out = limited(signal, ceiling_dbtp=-1.0, release_ms=release_ms)
                    self.assertLessEqual(true_peak_dbtp(out), -1.0 + 0.1)
                    self.assertLessEqual(20 * np.log10(np.abs(out).max()), -1.0 + 1e-6)

    def test_what_is_quiet_passes_untouched(self) -> None:
        signal = noise(0.5, level=0.1)
        lag = Limiter.latency_of(LimiterParams(), RATE_HZ)
        np.testing.assert_allclose(limited(signal)[:, lag:], signal[:, :-lag], atol=1e-12)

    def test_the_gain_comes_back_with_its_time_constant(self) -> None:
        signal = np.full((1, RATE_HZ), 0.01)
        signal[0, 4800:4900] = 10.0
        out = limited(signal, ceiling_dbtp=0.0, release_ms=100.0)
        gain = out[0, 300:] / 0.01
        start = 4900 + Limiter.latency_of(LimiterParams(), RATE_HZ) + 50 - 300
        missing = 1.0 - gain[[start, start + 4800]]
        self.assertAlmostEqual(float(missing[1] / missing[0]), float(np.exp(-1.0)), delta=0.02)

    def test_both_sides_go_down_together(self) -> None:
        signal = np.stack([sine(500, 6, 0.5)[0], sine(500, -20, 0.5)[0]])
        out = limited(signal)
        ratio = np.abs(out[0, 2000:]).max() / np.abs(out[1, 2000:]).max()
        self.assertAlmostEqual(20 * np.log10(ratio), 26.0, delta=0.05)


class GainTest(unittest.TestCase):
    def test_matrices(self) -> None:
        left, right = 0.5, -0.25
        cases: dict[str, tuple[dict[str, Any], tuple[float, float]]] = {
            "level": ({"level_db": -6.0206}, (0.25, -0.125)),
            "silence": ({"level_db": None}, (0.0, 0.0)),
            "swap": ({"channels": "swap"}, (right, left)),
            "mono": ({"channels": "mono"}, (0.125, 0.125)),
            "left": ({"channels": "left"}, (left, left)),
            "right": ({"channels": "right"}, (right, right)),
            "polarity": ({"left_inverted": True}, (-left, right)),
            "both": ({"left_inverted": True, "right_inverted": True}, (-left, -right)),
        }
        for name, (params, expected) in cases.items():
            with self.subTest(name):
                made = GainProcessor(place(max_block=16))
                made.set(GainParams(**params), on=True, glide=False)
                audio = np.array([[left] * 16, [right] * 16])
                made.process(audio, audio, 16)
                np.testing.assert_allclose(audio[:, 5], expected, atol=1e-6)
