"""Lanes on real material: delays found to the sample, notches by the comb table, loudness matched."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.analysis.reports.lane_alignment import LaneFinding, report_block
from gemischt.core.session.actions import SetParallel, apply_action
from tests.support.sessions import Bench, compressor, eq
from tests.support.signals import RATE_HZ, Signal, noise


def pinkish(seed: int = 4) -> Signal:
    """Noise with more low than high, as music has."""
    white = noise(4.0, channels=1, seed=seed)[0]
    spectrum = np.fft.rfft(white) / np.sqrt(np.maximum(np.arange(len(white) // 2 + 1), 20.0))
    wave = np.fft.irfft(spectrum)
    return np.tile(0.1 * wave / np.std(wave), (2, 1))


def block(*lanes: dict[str, Any], **fields: Any) -> dict[str, Any]:
    clean = {"id": "clean", "name": "Clean"}
    named = [{"id": f"l{k}", "name": f"Lane {k}", **lane} for k, lane in enumerate(lanes)]
    return {"id": "p", "type": "parallel", "lanes": [clean, *named], **fields}


def delay(time_ms: float) -> dict[str, Any]:
    return {"id": "late", "type": "delay", "params": {"time_ms": time_ms, "feedback": 0.0}}


def find(*chain: dict[str, Any], **lane: Any) -> LaneFinding:
    bench = Bench()
    bench.track("drum", pinkish(), chain=[block({"chain": list(chain), **lane})])
    return report_block(bench.session(), bench.media, "drum", "p").lanes[0]


class CombTest(unittest.TestCase):
    def test_a_lane_late_by_a_millisecond_is_found_and_its_notch_named(self) -> None:
        found = find(delay(1.0))
        self.assertLessEqual(abs(found.delay_ms - 1.0), 1000.0 / RATE_HZ)
        self.assertAlmostEqual(found.notch_hz or 0.0, 500.0, delta=12.0)
        self.assertFalse(found.inverted)

    def test_notches_of_the_comb_table(self) -> None:
        # First notch 1 / (2 d): check table, section 6. A delay processor's shortest time is 1 ms.
        for delay_ms, notch_hz in ((1.0, 500.0), (2.0, 250.0), (3.0, 166.7), (5.0, 100.0), (10.0, 50.0)):
            with self.subTest(delay_ms=delay_ms):
                found = find(delay(delay_ms))
                self.assertAlmostEqual(found.notch_hz or 0.0, notch_hz, delta=0.02 * notch_hz)

    def test_a_quarter_of_a_millisecond_by_shifts(self) -> None:
        found = find(shift_ms=0.25)
        self.assertAlmostEqual(found.notch_hz or 0.0, 2000.0, delta=1.0)

    def test_an_earlier_lane_has_a_negative_delay(self) -> None:
        self.assertAlmostEqual(find(shift_ms=-2.0).delay_ms, -2.0, delta=0.021)

    def test_polarity(self) -> None:
        swapped = {"id": "g", "type": "gain", "params": {"left_inverted": True, "right_inverted": True}}
        found = find(swapped)
        self.assertTrue(found.inverted)
        self.assertTrue(found.combs)
        self.assertEqual(found.delay_ms, 0.0)

    def test_processors_that_declare_their_latency_do_not_comb(self) -> None:
        for chain in (
            [compressor(lookahead_ms=5.0)],
            [{"id": "s", "type": "saturator", "params": {"drive_db": 12.0}}],
            [{"id": "l", "type": "limiter", "params": {"input_db": 12.0}}],
            [eq({"shape": "low-cut", "frequency_hz": 4000.0})],
        ):
            with self.subTest(chain[0]["type"]):
                found = find(*chain)
                self.assertIsNone(found.notch_hz)

    def test_a_room_is_other_material(self) -> None:
        found = find({"id": "r", "type": "reverb", "params": {"decay_s": 1.0}})
        self.assertLess(found.coherence, 0.5)
        self.assertFalse(found.combs)

    def test_silence_is_nothing(self) -> None:
        bench = Bench()
        bench.track("drum", np.zeros((2, RATE_HZ)), chain=[block({})])
        report = report_block(bench.session(), bench.media, "drum", "p")
        self.assertIsNone(report.change_lu)
        self.assertFalse(report.lanes[0].combs)


class LoudnessTest(unittest.TestCase):
    def test_two_equal_lanes_add_six_and_are_matched_by_six(self) -> None:
        bench = Bench()
        bench.track("drum", pinkish(), chain=[block({})])
        session = bench.session()
        report = report_block(session, bench.media, "drum", "p")
        self.assertAlmostEqual(report.change_lu or 0.0, 6.0206, places=3)
        matched = apply_action(session, SetParallel(strip="drum", block="p", level_db=report.matching_db))
        after = report_block(matched, bench.media, "drum", "p")
        self.assertAlmostEqual(after.change_lu if after.change_lu is not None else 9.9, 0.0, places=3)

    def test_what_stands_behind_the_block_does_not_count(self) -> None:
        bench = Bench()
        chain = [eq({"gain_db": 6.0}), block({}, level_db=-6.0206), compressor(makeup_db=20.0)]
        bench.track("drum", pinkish(), chain=chain)
        report = report_block(bench.session(), bench.media, "drum", "p")
        self.assertAlmostEqual(report.change_lu if report.change_lu is not None else 9.9, 0.0, places=2)

    def test_a_block_inside_a_lane(self) -> None:
        inner = block({}, id="inner")
        bench = Bench()
        bench.track("drum", pinkish(), chain=[block({"chain": [inner, compressor("c", makeup_db=9.0)]})])
        report = report_block(bench.session(), bench.media, "drum", "inner")
        self.assertAlmostEqual(report.change_lu or 0.0, 6.0206, places=3)

    def test_on_a_bus_with_strips_joining_late(self) -> None:
        bench = Bench()
        bench.mix["chain"] = [block({})]
        bench.track("drum", pinkish())
        bench.track("sea", pinkish(5), late=True)
        report = report_block(bench.session(), bench.media, "mix", "p")
        self.assertAlmostEqual(report.change_lu or 0.0, 6.0206, places=3)
