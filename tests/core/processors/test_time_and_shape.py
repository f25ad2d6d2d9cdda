"""Delay, saturator, limiter and gain: repeats to the sample, aliases, ceilings, matrices."""

import unittest
from collections.abc import Callable
from itertools import pairwise
from typing import Any

import numpy as np
from scipy.signal import firwin, lfilter, resample

from gemischt.core.dsp.shaping import LATENCY_SAMPLES
from gemischt.core.errors import InvalidSession
from gemischt.core.processors.delay_params import DelayParams
from gemischt.core.processors.gain_params import GainParams
from gemischt.core.processors.limiter import Limiter
from gemischt.core.processors.limiter_params import LimiterParams
from gemischt.core.processors.saturator_params import SaturatorParams
from tests.support.places import Alone
from tests.support.sessions import Bench
from tests.support.signals import RATE_HZ, Signal, faded_sine, impulse, noise, sine


def delayed(signal: Signal, **params: Any) -> Signal:
    made = Alone("delay", max_block=signal.shape[1])
    made.set(DelayParams(**params))
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

    def test_notes_of_slow_songs_are_as_long_as_they_are(self) -> None:
        # 240 / bpm seconds to the whole note; times set by hand end at 4 s.
        for bpm in (40, 15):
            with self.subTest(bpm=bpm):
                bench = Bench(tempo=[{"bpm": bpm}])
                chain = [{"id": "d", "type": "delay", "params": {"note": "1/1", "feedback": 0.0}}]
                bench.track("click", impulse(20 * RATE_HZ, channels=2), chain=chain)
                self.assertEqual(int(np.argmax(bench.render(17 * RATE_HZ)[0])), round(240 / bpm * RATE_HZ))

    def test_a_note_longer_than_a_delay_reaches_is_refused(self) -> None:
        bench = Bench(tempo=[{"bpm": 120}, {"at_s": 9.0, "bpm": 10.0, "beat": "1/16"}])
        bench.track("click", impulse(100), chain=[{"id": "d", "type": "delay", "params": {"note": "1/1"}}])
        with self.assertRaises(InvalidSession) as caught:
            bench.session()
        self.assertIn("a 1/1 note lasts 96 s at 10 bpm", str(caught.exception))

    def test_notes_follow_a_tempo_that_changes_inside_the_song(self) -> None:
        # A quarter is 0.5 s at 120 bpm and 1 s at 60.
        clicks = np.zeros((2, 8 * RATE_HZ))
        for at_s in (0.2, 3.0, 5.5):
            clicks[:, round(at_s * RATE_HZ)] = 1.0
        tempo = [{"bpm": 120}, {"at_s": 2.0, "bpm": 60}, {"at_s": 5.0, "bpm": 120}]
        outs = []
        for block in (333, 4096):
            bench = Bench(tempo=tempo)
            late = {"id": "l", "type": "limiter", "params": {"ceiling_dbtp": 0.0}}
            delay = {"id": "d", "type": "delay", "params": {"note": "1/4", "feedback": 0.0, "wet": 1.0}}
            bench.track("click", clicks, chain=[late, delay])
            renderer = bench.renderer(max_block=block)
            outs.append(renderer.render(8 * RATE_HZ)[0])
            heard = np.flatnonzero(np.abs(outs[-1]) > 0.5) - renderer.latency_samples
            self.assertEqual([round(float(at) / RATE_HZ, 4) for at in heard], [0.7, 4.0, 6.0])
        np.testing.assert_allclose(*outs, atol=1e-12)

    def test_a_jump_behind_a_change_of_tempo_takes_the_tempo_there(self) -> None:
        bench = Bench(tempo=[{"bpm": 120}, {"at_s": 1.0, "bpm": 60}])
        clicks = np.zeros((2, 4 * RATE_HZ))
        clicks[:, 2 * RATE_HZ] = 1.0
        bench.track(
            "c", clicks, chain=[{"id": "d", "type": "delay", "params": {"note": "1/4", "feedback": 0.0, "wet": 1.0}}]
        )
        renderer = bench.renderer()
        renderer.seek(2 * RATE_HZ)
        self.assertEqual(int(np.argmax(renderer.render(2 * RATE_HZ)[0])), RATE_HZ)

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
        made = Alone(
            "delay",
        )
        made.set(DelayParams(time_ms=200.0, feedback=0.3))
        first, second = tone.copy(), tone.copy()
        made.process(first, first, RATE_HZ)
        made.set(DelayParams(time_ms=333.0, feedback=0.3), glide=True)
        made.process(second, second, RATE_HZ)
        out = np.concatenate([first[:, -4800:], second[:, :9600]], axis=1)
        self.assertLess(float(np.abs(np.diff(out, n=2, axis=1)).max()), 1e-3)

    def test_at_rest_it_is_what_the_loop_says_around_the_ring_too(self) -> None:
        """Against the same loop written plainly, from the shortest delay on."""
        signal = noise(8.0, level=0.1, seed=4)
        for time_ms, feedback in ((1.0, 0.3), (1.7, 0.9), (700.0, 0.7)):
            length = round(time_ms * RATE_HZ / 1000.0)
            repeated = signal.copy()
            for at in range(length, signal.shape[1], length):
                here = repeated[:, at : at + length]
                here += feedback * repeated[:, at - length : at - length + here.shape[1]]
            expected = np.zeros_like(signal)
            expected[:, length:] = repeated[:, :-length]
            out = delayed(signal, time_ms=time_ms, feedback=feedback)
            with self.subTest(time_ms=time_ms):
                np.testing.assert_allclose(out, expected, atol=1e-12)

    def test_four_seconds_are_there(self) -> None:
        out = delayed(impulse(5 * RATE_HZ, channels=2), time_ms=4000.0, feedback=0.0)
        self.assertEqual(int(np.argmax(out[0])), 4 * RATE_HZ)


def saturated(signal: Signal, **params: Any) -> Signal:
    made = Alone("saturator", n_channels=len(signal), max_block=signal.shape[1])
    made.set(SaturatorParams(**params))
    out = signal.copy()
    made.process(out, out, out.shape[1])
    return out[:, LATENCY_SAMPLES:]


class SaturatorTest(unittest.TestCase):
    def worst_alias_db(self, frequency_hz: int, level_dbfs: float, drive_db: float) -> float:
        """Whatever is no harmonic under half the rate is an alias, against the fundamental."""
        n = RATE_HZ
        out = saturated(sine(frequency_hz, level_dbfs, 1.2, channels=1), drive_db=drive_db)[0, 4800 : 4800 + n]
        spectrum = np.abs(np.fft.rfft(out * np.blackman(n)))
        fundamental = spectrum[frequency_hz]
        for harmonic in range(0, RATE_HZ // 2 + 1, frequency_hz):
            spectrum[max(0, harmonic - 4) : harmonic + 5] = 0.0
        # Between 20 kHz and half the rate lies the filters' slope, which is given up.
        return float(20 * np.log10(spectrum[:20000].max() / fundamental))

    def test_aliases_of_a_sweep_stay_80_db_down_at_moderate_drive(self) -> None:
        # Moderate: +12 dB into the bend at -6 dBFS.
        for frequency_hz in (1000, 2500, 5000, 7000, 9000, 11000, 13000, 15000):
            with self.subTest(frequency_hz=frequency_hz):
                self.assertLess(self.worst_alias_db(frequency_hz, -6.0, 12.0), -80.0)

    def test_aliases_stay_low_at_strong_drive(self) -> None:
        # The harmonics of a full-scale tone that fold fall by exp(-pi n / 2 k) a number n, k being the bend: sixteen
        # times the rate puts the first to fold at n = 50 for 15 kHz.
        for frequency_hz, most_db in ((1000, -100.0), (5000, -75.0), (9000, -60.0), (15000, -50.0)):
            with self.subTest(frequency_hz=frequency_hz):
                self.assertLess(self.worst_alias_db(frequency_hz, 0.0, 24.0), most_db)

    def test_without_drive_everything_stays_as_it_is(self) -> None:
        signal = 0.9 * np.sign(noise(0.5, seed=3)) * faded_sine(500, length_s=0.5)[0]
        slow = 0.5 * faded_sine(20, length_s=0.5)
        for lean in (0.0, 1.0):
            for match in (False, True):
                with self.subTest(lean=lean, match=match):
                    out = saturated(slow, drive_db=0.0, lean=lean, match_loudness=match)
                    np.testing.assert_allclose(out, slow[:, : out.shape[1]], atol=1e-6)
                    out = saturated(signal, drive_db=0.0, lean=lean, match_loudness=match)
                    kept = np.abs(np.fft.rfft(out[0])[:10000]) / np.abs(np.fft.rfft(signal[0, : out.shape[1]])[:10000])
                    self.assertAlmostEqual(float(np.median(kept)), 1.0, places=3)

    def test_quiet_signals_keep_their_level_whatever_the_drive(self) -> None:
        for drive_db in (0.0, 12.0, 36.0):
            with self.subTest(drive_db=drive_db):
                tone = sine(1000, -80, 0.5, channels=1)
                out = saturated(tone, drive_db=drive_db, match_loudness=False)
                self.assertAlmostEqual(float(np.abs(out[0, 2000:]).max() / np.abs(tone).max()), 1.0, delta=0.01)

    def test_noise_at_the_reference_leaves_as_loud_as_it_came(self) -> None:
        signal = noise(2.0, channels=1, level=10 ** (-18 / 20), seed=2)
        low = lfilter(firwin(255, 15000, fs=RATE_HZ), 1.0, signal)
        low *= 10 ** (-18 / 20) / low.std()
        for drive_db in (3.0, 12.0, 24.0, 36.0):
            for lean in (0.0, 0.5, 1.0):
                with self.subTest(drive_db=drive_db, lean=lean):
                    out = saturated(low, drive_db=drive_db, lean=lean)
                    # Harmonics above 20 kHz are not there any more.
                    self.assertAlmostEqual(20 * np.log10(out.std() / low.std()), 0.0, delta=0.6)

    def test_nothing_stands_still_behind_a_lean(self) -> None:
        for drive_db in (6.0, 24.0):
            with self.subTest(drive_db=drive_db):
                out = saturated(sine(200, -6, 2.0, channels=1), drive_db=drive_db, lean=1.0)[0, RATE_HZ:-400]
                self.assertLess(20 * np.log10(abs(out[: RATE_HZ // 2].mean())), -80.0)

    def test_the_curve_is_the_hyperbolic_tangent(self) -> None:
        # Slow enough that its harmonics pass the filters; bend is d - 1/d of the drive's gain d = 10.
        tone = sine(500, -6, 1.0, channels=1)
        out = saturated(tone, drive_db=20.0, match_loudness=False)[0]
        bent = np.tanh(9.9 * tone[0, : out.size]) / 9.9
        np.testing.assert_allclose(out[4800:], bent[4800:], atol=2e-3)
        self.assertAlmostEqual(float(np.abs(out[4800:]).max()), float(np.tanh(9.9 * 0.501) / 9.9), delta=2e-3)

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


def limited(signal: Signal, *, rate_hz: int = RATE_HZ, **params: Any) -> Signal:
    table = LimiterParams(**params)
    made = Alone("limiter", rate_hz=rate_hz, n_channels=signal.shape[0], max_block=signal.shape[1])
    made.set(table)
    out = signal.copy()
    made.process(out, out, out.shape[1])
    return out


def peak_at_32_times_dbfs(signal: Signal) -> float:
    """Highest magnitude of a signal interpolated by its spectrum, 32 points a sample."""
    quiet = np.pad(signal, ((0, 0), (2000, 2000)))
    return float(20 * np.log10(max(np.abs(resample(channel, 32 * len(channel))).max() for channel in quiet)))


def drums(rate_hz: int) -> Signal:
    """Hits with hard attacks, their noise up to 19.5 kHz."""
    rng = np.random.default_rng(7)
    out = np.zeros(rate_hz)
    for k in range(8):
        times = np.arange(rate_hz - k * rate_hz // 8) / rate_hz
        body = np.sin(2 * np.pi * (50 + 150 * np.exp(-30 * times)) * times) * np.exp(-8 * times)
        hit = rng.standard_normal(len(times)) * np.exp(-(25 if k % 2 else 120) * times)
        out[len(out) - len(times) :] += 1.2 * body * (k % 2 == 0) + 0.9 * hit
    return lfilter(firwin(255, 19500, fs=rate_hz), 1.0, out)[np.newaxis]


def programme(rate_hz: int) -> Signal:
    """Forty partials up to 18 kHz, twice as loud as full scale."""
    rng = np.random.default_rng(8)
    times = np.arange(rate_hz) / rate_hz
    partials = np.geomspace(60, 18000, 40)
    waves = [np.sin(2 * np.pi * hz * times + rng.uniform(0, 6)) / np.sqrt(k + 1) for k, hz in enumerate(partials)]
    out = np.sum(waves, axis=0)
    return 2.0 * (out / np.abs(out).max())[np.newaxis]


class LimiterTest(unittest.TestCase):
    # Gaussian noise of rms 0.5 (check table, look-ahead limiter), tones whose peaks lie between the samples, drums and
    # programme without anything above 19.5 kHz.
    CASES: dict[str, tuple[Callable[[int], Signal], float]] = {
        "noise": (lambda rate: 0.5 * np.random.default_rng(5).standard_normal((2, rate)), 0.3),
        "fs/4": (lambda rate: 1.41 * faded_sine(rate / 4, rate_hz=rate, phase_rad=np.pi / 4), 0.1),
        "fs/6": (lambda rate: 2.0 * faded_sine(rate / 6, rate_hz=rate, phase_rad=np.pi / 3), 0.1),
        "steps": (lambda rate: np.repeat(np.sign(noise(0.5, level=1.0)[:, ::100]), 100, axis=1), 0.1),
        "drums": (lambda rate: drums(rate), 0.1),
        "programme": (lambda rate: programme(rate), 0.1),
    }

    def test_true_peaks_stay_under_the_ceiling(self) -> None:
        for rate_hz in (44100, 48000):
            for name, (make, most_db) in self.CASES.items():
                with self.subTest(name=name, rate_hz=rate_hz):
                    out = limited(make(rate_hz), rate_hz=rate_hz, ceiling_dbtp=-1.0)
                    self.assertLessEqual(peak_at_32_times_dbfs(out), -1.0 + most_db)
                    self.assertLessEqual(20 * np.log10(np.abs(out).max()), -1.0 + 1e-6)

    def test_a_release_as_fast_as_a_cycle_holds_programme_too(self) -> None:
        for name in ("drums", "programme"):
            with self.subTest(name):
                out = limited(self.CASES[name][0](RATE_HZ), ceiling_dbtp=-1.0, release_ms=1.0, lookahead_ms=0.5)
                self.assertLessEqual(peak_at_32_times_dbfs(out), -1.0 + 0.1)

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
                made = Alone("gain", max_block=16)
                made.set(GainParams(**params))
                audio = np.array([[left] * 16, [right] * 16])
                made.process(audio, audio, 16)
                np.testing.assert_allclose(audio[:, 5], expected, atol=1e-6)
