"""The mix over the song: its loudness from steps of 10 ms, turned up and down."""

import unittest

import numpy as np

from gemischt.core.analysis.measurement.results import FLOOR_LUFS, MixCurve, levels_from_json, levels_to_json
from gemischt.core.metering.loudness import powers_to_lufs
from gemischt.core.metering.stage_meter import StageMeters
from gemischt.core.space.layout import STEREO
from tests.support.meters import StageMeter
from tests.support.signals import RATE_HZ, noise, steps


def curve(*levels_and_lengths: tuple[float, float]) -> MixCurve:
    """A curve of so many LUFS for so many seconds, one after the other."""
    lufs = np.concatenate([np.full(round(100 * length_s), level) for level, length_s in levels_and_lengths])
    return MixCurve.of(np.full(4, 0.5), np.full(4, -20.0), lufs)


class IntegratedTest(unittest.TestCase):
    """EBU Tech 3341 (2016), table 1: signals 1 to 5 are given by their levels alone; tolerance 0.1 LU."""

    def test_the_levels_of_tech_3341(self) -> None:
        cases = {
            "1": ([(-23.0, 20.0)], -23.0),
            "2": ([(-33.0, 20.0)], -33.0),
            "3": ([(-36.0, 10.0), (-23.0, 60.0), (-36.0, 10.0)], -23.0),
            "4": ([(-72.0, 10.0), (-36.0, 10.0), (-23.0, 60.0), (-36.0, 10.0), (-72.0, 10.0)], -23.0),
            "5": ([(-26.0, 20.0), (-20.0, 20.1), (-26.0, 20.0)], -23.0),
        }
        for name, (stretches, expected) in cases.items():
            with self.subTest(name):
                self.assertAlmostEqual(curve(*stretches).integrated_lufs(0.0, None), expected, delta=0.1)

    def test_a_stretch_counts_as_if_it_were_all_there_is(self) -> None:
        whole = curve((-30.0, 10.0), (-20.0, 5.0), (-30.0, 10.0))
        self.assertAlmostEqual(whole.integrated_lufs(10.0, 15.0), -20.0, places=6)
        self.assertAlmostEqual(whole.integrated_lufs(16.0, None), -30.0, places=6)

    def test_silence_has_no_loudness(self) -> None:
        self.assertEqual(curve((-np.inf, 2.0)).integrated_lufs(0.0, None), -np.inf)

    def test_real_signals_read_what_the_meter_reads(self) -> None:
        signal = np.concatenate([noise(3.0, level=0.02), steps((-20.0, 2.0), (-32.0, 2.0))], axis=1)
        meter = StageMeter(RATE_HZ, STEREO)
        meter.process(signal, signal.shape[1])
        made = MixCurve.of(np.zeros(1), np.zeros(1), np.array(step_lufs(signal)))
        self.assertAlmostEqual(made.integrated_lufs(0.0, None), meter.levels().integrated_lufs, delta=0.01)


def step_lufs(signal: np.ndarray) -> np.ndarray:
    meters = StageMeters(RATE_HZ, [STEREO])
    rows = meters.new_rows(signal.shape[1])
    rows[:2, : signal.shape[1]] = signal
    meters.process(rows, signal.shape[1])
    return powers_to_lufs(meters.weighted_powers(0))


class TurnedCurveTest(unittest.TestCase):
    def test_it_moves_with_the_fader(self) -> None:
        turned = curve((-30.0, 2.0)).turned(-6.0206, -6.0206)
        self.assertEqual(turned.peaks, (0.25,) * 4)
        self.assertAlmostEqual(turned.short_term_lufs[0], -26.02, places=9)
        self.assertAlmostEqual(turned.integrated_lufs(0.0, None), -36.02, delta=0.01)

    def test_a_closed_fader_leaves_the_floor(self) -> None:
        turned = curve((-30.0, 2.0)).turned(-np.inf, -np.inf)
        self.assertEqual((max(turned.peaks), max(turned.steps_lufs)), (0.0, FLOOR_LUFS))

    def test_nothing_to_do_leaves_it_as_it_is(self) -> None:
        made = curve((-30.0, 2.0))
        self.assertIs(made.turned(0.0, 0.0), made)


class JsonTest(unittest.TestCase):
    def test_levels_come_back_silence_included(self) -> None:
        for signal in (noise(1.0), np.zeros((2, RATE_HZ))):
            meter = StageMeter(RATE_HZ, STEREO)
            meter.process(signal, RATE_HZ)
            self.assertEqual(levels_from_json(levels_to_json(meter.levels())), meter.levels())
