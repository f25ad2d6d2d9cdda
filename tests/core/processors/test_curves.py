"""Curves to draw are what the processors do to steady tones."""

import unittest

import numpy as np

from gemischt.core.processors.compressor_params import CompressorParams
from gemischt.core.processors.curves import CURVE_FREQUENCIES_HZ, CURVE_INPUTS_DB, eq_curve_db, transfer_curve_db
from gemischt.core.processors.eq_params import EqBand, EqParams
from tests.support.sessions import Bench, compressor, eq
from tests.support.signals import RATE_HZ, peak_db, sine


class CurvesTest(unittest.TestCase):
    def test_the_equalisers_curve_is_what_a_tone_gains(self) -> None:
        band = {"shape": "bell", "frequency_hz": 800.0, "gain_db": 9.0, "q": 1.5}
        curve = np.array(eq_curve_db(EqParams(bands=(EqBand.model_validate(band),)), RATE_HZ))
        for at in (60, 85, 100, 130):
            frequency_hz = float(CURVE_FREQUENCIES_HZ[at])
            with self.subTest(frequency_hz=frequency_hz):
                bench = Bench()
                bench.track("tone", sine(frequency_hz, -30, 0.6), chain=[eq(band)])
                out = bench.render(RATE_HZ // 2)[:, RATE_HZ // 4 :]
                self.assertAlmostEqual(peak_db(out), -30 + curve[at], delta=0.05)

    def test_the_transfer_curve_is_where_a_steady_level_ends(self) -> None:
        curve = np.array(transfer_curve_db(CompressorParams(threshold_db=-30, ratio=3, knee_db=6)))
        for level_db in (-60.0, -30.0, -10.0, 0.0):
            with self.subTest(level_db=level_db):
                steady = np.full((2, RATE_HZ // 2), 10 ** (level_db / 20))
                bench = Bench()
                chain = [compressor(threshold_db=-30, ratio=3, knee_db=6, attack_ms=1, release_ms=1)]
                bench.track("steady", steady, chain=chain)
                out = bench.render(RATE_HZ // 4)
                at = int(np.argmin(np.abs(CURVE_INPUTS_DB - level_db)))
                self.assertAlmostEqual(20 * np.log10(out[0, -1]), curve[at], delta=0.01)

    def test_bands_switched_off_are_flat(self) -> None:
        band = EqBand(frequency_hz=500, gain_db=12, on=False)
        self.assertEqual(set(eq_curve_db(EqParams(bands=(band,)), RATE_HZ)), {0.0})
