"""Figures that follow from a gain, against the same signal turned and measured."""

import dataclasses
import math
import unittest

import numpy as np

from gemischt.core.analysis.measurement.gain_shift import GainShift, gain_shift_of, turned, turned_stereo
from gemischt.core.engine.placement import pan_matrix
from gemischt.core.metering.stage_meter import StageLevels, StageMeters
from gemischt.core.metering.stereo import StereoLevels, StereoMeter
from gemischt.core.session.document import Pan, Strip
from gemischt.core.space.layout import FILE_LAYOUTS
from gemischt.core.units import db_to_gain
from tests.support.sessions import Bench
from tests.support.signals import RATE_HZ, Signal, noise, sine


def levels_of(signal: Signal) -> StageLevels:
    return measured_of(signal)[0]


def measured_of(signal: Signal) -> tuple[StageLevels, np.ndarray]:
    """Levels, and powers in each 100 ms."""
    meters = StageMeters(RATE_HZ, [FILE_LAYOUTS[len(signal)]])
    rows = meters.new_rows(signal.shape[1])
    rows[: len(signal), : signal.shape[1]] = signal
    meters.process(rows, signal.shape[1])
    return meters.levels(0), meters.hop_powers(0)


def turned_of(signal: Signal, turn: GainShift) -> StageLevels:
    levels, hop_powers = measured_of(signal)
    return turned(levels, turn, hop_powers)


def stereo_of(signal: Signal) -> StereoLevels:
    meter = StereoMeter(RATE_HZ)
    meter.process(signal.astype(np.float32), signal.shape[1])
    return meter.levels()


def swelling() -> Signal:
    """Four seconds that have a loudness range, an offset, and no overs."""
    swell = np.linspace(0.1, 1.0, 4 * RATE_HZ)
    return swell * noise(4.0, level=0.05) + 0.01


class TurnedTest(unittest.TestCase):
    def assert_close(self, found: StageLevels, measured: StageLevels) -> None:
        for name, value in dataclasses.asdict(measured).items():
            if isinstance(value, float) and math.isfinite(value):
                self.assertAlmostEqual(getattr(found, name), value, delta=2e-4, msg=name)
            else:
                self.assertEqual(getattr(found, name), value, name)

    def test_a_gain_moves_every_figure_as_it_moves_the_signal(self) -> None:
        signal = swelling()
        for gain_db in (-55.0, -30.0, -6.0, 3.0):
            with self.subTest(gain_db=gain_db):
                found = turned_of(signal, GainShift.by_db(gain_db))
                self.assert_close(found, levels_of(db_to_gain(gain_db) * signal))

    def test_silence_is_what_a_closed_fader_leaves(self) -> None:
        found = turned_of(swelling(), GainShift.by_db(-math.inf))
        self.assertTrue(found.silent)
        self.assertEqual((found.overs, found.first_over_s, found.loudness_range_lu), (0, None, None))
        self.assertEqual((found.crest_db, found.dc), (0.0, 0.0))

    def test_what_goes_under_full_scale_has_no_overs(self) -> None:
        signal = sine(997, 3.0, 0.5)
        self.assertGreater(levels_of(signal).overs, 0)
        self.assertEqual(turned_of(signal, GainShift.by_db(-4.0)).overs, 0)
        self.assertEqual(turned_of(signal, GainShift.by_db(0.0)), levels_of(signal))

    def test_stereo_figures_keep_their_shape(self) -> None:
        signal = noise(1.0, level=0.1) + sine(60, -20.0, 1.0)
        found = turned_stereo(stereo_of(signal), GainShift.by_db(-12.0))
        measured = stereo_of(db_to_gain(-12.0) * signal)
        for name, value in dataclasses.asdict(measured).items():
            self.assertAlmostEqual(getattr(found, name), value, delta=1e-3, msg=name)


class TurnOfTest(unittest.TestCase):
    def setUp(self) -> None:
        bench = Bench()
        bench.track("voice", np.zeros((1, 10)))
        self.session = bench.session()

    def strip(self, **fields: object) -> Strip:
        return self.session.strip("voice").model_copy(update=fields)

    def test_one_channel_follows_its_louder_side_and_the_power_of_both(self) -> None:
        signal = swelling()[:1]
        for position in (-1.0, -0.4, 0.0, 0.7):
            with self.subTest(position=position):
                strip = self.strip(pan=Pan(position=position))
                turn = gain_shift_of(self.session, strip, 1, db_to_gain(-3.0))
                assert turn is not None
                heard = db_to_gain(-3.0) * pan_matrix(strip.pan, 1, self.session.pan_law_db) @ signal
                measured, found = levels_of(heard), turned_of(signal, turn)
                for name in ("sample_peak_dbfs", "true_peak_dbtp", "rms_dbfs", "vu_dbfs", "integrated_lufs"):
                    self.assertAlmostEqual(getattr(found, name), getattr(measured, name), delta=1e-3, msg=name)

    def test_two_channels_are_turned_only_together(self) -> None:
        self.assertEqual(gain_shift_of(self.session, self.strip(), 2, 0.5), GainShift.by_db(20.0 * math.log10(0.5)))
        for fields in ({"pan": Pan(position=0.2)}, {"width": 0.5}):
            with self.subTest(fields):
                self.assertIsNone(gain_shift_of(self.session, self.strip(**fields), 2, 0.5))

    def test_a_closed_fader_is_silence_wherever_it_is_panned(self) -> None:
        turn = gain_shift_of(self.session, self.strip(pan=Pan(position=0.2)), 2, 0.0)
        self.assertEqual(turn, GainShift.by_db(-math.inf))
