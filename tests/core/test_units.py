"""Level arithmetic and note lengths (identities; tempo table: 60000 / bpm)."""

import doctest
import math
import unittest

from gemischt.core import units
from gemischt.core.session import edits


class LevelsTest(unittest.TestCase):
    def test_decibels_and_gains_by_definition(self) -> None:
        # Source: identity 20 log10.
        for level_db, gain in ((-6.0, 0.501187), (-3.0, 0.707946), (-20.0, 0.1), (-18.0, 0.125893), (6.0, 1.995262)):
            with self.subTest(level_db=level_db):
                self.assertAlmostEqual(units.db_to_gain(level_db), gain, places=6)
                self.assertAlmostEqual(units.gain_to_db(gain), level_db, places=4)

    def test_half_is_6_02_db_down(self) -> None:
        self.assertAlmostEqual(units.gain_to_db(0.5), -6.0206, places=4)

    def test_silence_both_ways(self) -> None:
        self.assertEqual(units.db_to_gain(None), 0.0)
        self.assertEqual(units.db_to_gain(-math.inf), 0.0)
        self.assertEqual(units.gain_to_db(0.0), -math.inf)
        self.assertIsNone(units.finite_or_none(units.power_to_db(0.0)))

    def test_time_constants(self) -> None:
        # Source: alpha = exp(-1 / (tau fs)), 48 kHz.
        table = {1: 0.979382181, 5: 0.995842002, 10: 0.997918835, 50: 0.999583420, 100: 0.999791688, 250: 0.999916670}
        for tau_ms, alpha in table.items():
            with self.subTest(tau_ms=tau_ms):
                self.assertAlmostEqual(units.time_constant_to_coefficient(tau_ms, 48000), alpha, places=9)
        self.assertEqual(units.time_constant_to_coefficient(0.0, 48000), 0.0)


class NotesTest(unittest.TestCase):
    def test_note_lengths_at_120_and_124_bpm(self) -> None:
        # Source: quarter = 60000 / bpm ms; dotted x 1.5; triplet x 2/3.
        table = {
            120.0: {"1/1": 2000, "1/4": 500, "1/8": 250, "1/4.": 750, "1/8.": 375, "1/8T": 166.667, "1/16T": 83.333},
            124.0: {"1/4": 483.871, "1/8": 241.935, "1/16.": 181.452, "1/4T": 322.581},
        }
        for bpm, notes in table.items():
            for note, length_ms in notes.items():
                with self.subTest(bpm=bpm, note=note):
                    length_s = units.note_to_s(note, bpm=bpm, beat="1/4")
                    self.assertAlmostEqual(1000 * length_s, length_ms, places=2)

    def test_tempo_counts_the_named_beat(self) -> None:
        # 96 dotted quarters a minute: one lasts 625 ms, an eighth a third of it.
        self.assertAlmostEqual(units.note_to_s("1/4.", bpm=96.0, beat="1/4."), 0.625)
        self.assertAlmostEqual(units.note_to_s("1/8", bpm=96.0, beat="1/4."), 0.625 / 3)


def load_tests(loader: unittest.TestLoader, tests: unittest.TestSuite, pattern: str | None) -> unittest.TestSuite:
    tests.addTests(doctest.DocTestSuite(units))
    tests.addTests(doctest.DocTestSuite(edits))
    return tests
