"""The path ledger: level arithmetic on real signals, and what counts as heard twice."""

import math
import unittest
from typing import Any

from gemischt.core.analysis.reports.leaks import find_leaks
from gemischt.core.analysis.reports.path_ledger import path_ledger
from gemischt.core.routing.paths import MOST_WAYS, ways_to_mix
from gemischt.core.session.actions import SetGroup, apply_action
from tests.support.sessions import Bench, compressor
from tests.support.signals import noise, sine

SEND: dict[str, Any] = {"id": "s", "to": "mix", "level_db": 0.0}


def reverb(**params: Any) -> dict[str, Any]:
    return {"id": "room", "type": "reverb", "params": params}


class LedgerTest(unittest.TestCase):
    def test_output_and_unity_send_are_two_ways_that_add_six_decibels(self) -> None:
        # Sum of two equal coherent signals: +6.0206 dB (identity 20 log 2).
        bench = Bench()
        bench.track("tone", sine(200, -12, 1.0), sends=[SEND])
        ledger = path_ledger(bench.session(), bench.media, "tone")
        self.assertEqual(len(ledger.ways), 2)
        self.assertAlmostEqual(ledger.sum_gain_db, 20 * math.log10(2), places=4)
        self.assertAlmostEqual(ledger.twice_db or 0.0, 20 * math.log10(2), places=4)
        self.assertAlmostEqual(ledger.sum_peak_dbfs, -12.0 + 20 * math.log10(2), places=3)
        self.assertEqual([way.share for way in ledger.ways], [0.5, 0.5])

    def test_gains_of_the_steps_add_up_to_the_way(self) -> None:
        bench = Bench()
        bench.mix["fader_db"] = -1.5
        bench.track("tone", sine(200, -12, 1.0), trim_db=3.0, fader_db=-2.0, output="inner")
        bench.bus("inner", output="outer", fader_db=-4.0)
        bench.bus("outer", fader_db=-1.0, chain=[compressor(ratio=1.0, makeup_db=2.0)])
        ledger = path_ledger(bench.session(), bench.media, "tone")
        self.assertAlmostEqual(ledger.trim_db + ledger.chain_db + ledger.fader_db, 1.0, places=4)
        (way,) = ledger.ways
        self.assertEqual([step.strip for step in way.steps], ["inner", "outer", "mix"])
        for step, gain_db in zip(way.steps, (-4.0, 1.0, -1.5), strict=True):
            self.assertAlmostEqual(step.gain_db, gain_db, places=4)
        self.assertAlmostEqual(way.gain_db, 1.0 - 4.0 + 1.0 - 1.5, places=4)
        self.assertIsNone(ledger.twice_db)

    def test_sends_before_chain_and_fader(self) -> None:
        bench = Bench()
        sends = [
            {"id": "raw", "to": "one", "level_db": -10.0, "tap": "pre-chain"},
            {"id": "early", "to": "two", "level_db": -20.0, "tap": "pre-fader"},
        ]
        chain = [compressor(ratio=1.0, makeup_db=6.0)]
        bench.track("tone", sine(200, -12, 1.0), trim_db=2.0, fader_db=None, sends=sends, chain=chain)
        bench.bus("one")
        bench.bus("two")
        ledger = path_ledger(bench.session(), bench.media, "tone")
        gains = {way.steps[0].strip: way for way in ledger.ways}
        self.assertAlmostEqual(gains["one"].gain_db, 2.0 - 10.0, places=4)
        self.assertAlmostEqual(gains["two"].gain_db, 2.0 + 6.0 - 20.0, places=4)
        self.assertAlmostEqual(gains["one"].steps[0].gain_db, 0.0, places=4)
        self.assertEqual(gains["mix"].mix_rms_dbfs, -math.inf)

    def test_a_way_through_a_wet_room_is_later_and_no_doubling(self) -> None:
        bench = Bench()
        bench.track("tone", noise(1.0), sends=[{"id": "s", "to": "hall", "level_db": -6.0}])
        bench.bus("hall", kind="return", chain=[reverb(pre_delay_ms=30.0, size=1.0, decay_s=2.0)])
        ledger = path_ledger(bench.session(), bench.media, "tone")
        self.assertIsNone(ledger.twice_db)
        direct, through = ledger.ways
        self.assertEqual((direct.later_ms, direct.dry, through.dry), (0.0, True, False))
        self.assertGreater(through.later_ms, 30.0)
        self.assertLess(through.later_ms, 70.0)
        self.assertAlmostEqual(direct.share + through.share, 1.0, places=6)

    def test_other_tracks_do_not_count_and_keys_go_on(self) -> None:
        # The bass is turned down by a drum that the ledger itself must not hear.
        bench = Bench()
        bench.track("drum", noise(1.0, level=0.5))
        duck = compressor("duck", key={"from": "drum"}, threshold_db=-40.0, ratio=None, range_db=12.0, release_ms=500)
        bench.track("bass", sine(80, -12, 1.0), chain=[duck])
        ledger = path_ledger(bench.session(), bench.media, "bass", stretch_s=(0.3, 1.0))
        self.assertAlmostEqual(ledger.chain_db, -12.0, delta=0.1)
        self.assertAlmostEqual(ledger.sum_gain_db, -12.0, delta=0.1)
        keys = path_ledger(bench.session(), bench.media, "drum", stretch_s=(0.3, 1.0)).keyed
        self.assertEqual([(move.strip, move.processor) for move in keys], [("bass", "duck")])
        self.assertAlmostEqual(keys[0].reduction_db, 12.0, delta=0.1)

    def test_a_bus_carries_what_feeds_it(self) -> None:
        bench = Bench()
        bench.track("a", sine(200, -12, 1.0), output="bus")
        bench.track("b", sine(200, -12, 1.0), output="bus")
        bench.track("c", sine(200, -12, 1.0))
        bench.bus("bus", fader_db=-6.0)
        ledger = path_ledger(bench.session(), bench.media, "bus")
        self.assertAlmostEqual(ledger.source_rms_dbfs, -12.0 - 3.0103 + 6.0206, places=2)
        self.assertAlmostEqual(ledger.sum_gain_db, -6.0, places=4)

    def test_a_send_that_moves_is_measured_as_it_moves(self) -> None:
        points = [{"at_s": 0.0, "value": -12.0}, {"at_s": 1.0, "value": -12.0}, {"at_s": 1.0, "value": 0.0}]
        bench = Bench(moves=[{"target": "strips/a/sends/s/level_db", "points": points}])
        bench.track("a", sine(440.0, -20.0, 2.0), sends=[{"id": "s", "to": "b", "level_db": -30.0}])
        bench.bus("b")
        ledger = path_ledger(bench.session(), bench.media, "a")
        step = next(step for way in ledger.ways for step in way.steps if step.send == "s")
        self.assertEqual(step.moves_db, (-12.0, 0.0))
        # Half of the time at -12 dB, half at 0: the mean power of both.
        self.assertAlmostEqual(step.gain_db, 10.0 * math.log10(0.5 * (1.0 + 10.0**-1.2)), delta=0.05)

    def test_nowhere_is_no_way(self) -> None:
        bench = Bench()
        bench.track("tone", sine(200, -12, 1.0), output=None)
        ledger = path_ledger(bench.session(), bench.media, "tone")
        self.assertEqual((ledger.ways, ledger.sum_rms_dbfs), ((), -math.inf))

    def test_very_many_ways_end(self) -> None:
        bench = Bench()
        bench.track("tone", sine(200, -12, 0.1), output="b0")
        for number in range(12):
            following = f"b{number + 1}" if number < 11 else "mix"
            sends = [{"id": "s", "to": following, "level_db": -20.0}]
            bench.bus(f"b{number}", output=following, sends=sends)
        self.assertEqual(len(ways_to_mix(bench.session(), "tone")), MOST_WAYS)


class LeaksTest(unittest.TestCase):
    def voices(self) -> Bench:
        bench = Bench()
        for name in ("lead", "high", "low"):
            sends = [{"id": "s", "to": "hall", "level_db": -6.0}]
            bench.track(name, noise(1.0, seed=len(name)), output="voices", sends=sends)
        bench.track("drum", noise(1.0, seed=9), sends=[{"id": "s", "to": "hall", "level_db": -6.0}])
        bench.bus("voices")
        bench.bus("hall", kind="return", chain=[reverb()])
        return bench

    def test_sends_ring_on_when_their_bus_is_down_and_a_control_group_cures_it(self) -> None:
        bench = self.voices()
        session = bench.session()
        left = find_leaks(session, bench.media, "voices")
        self.assertEqual({leak.strip for leak in left.leaks}, {"lead", "high", "low"})
        self.assertTrue(all(leak.through == ("hall",) and not leak.before_fader for leak in left.leaks))
        self.assertGreater(left.rms_dbfs, -60.0)
        assert left.cure is not None
        cured = apply_action(session, left.cure)
        silenced = apply_action(cured, SetGroup(group=cured.control_groups[0].id, level_db=None))
        self.assertEqual(find_leaks(silenced, bench.media, "voices").rms_dbfs, -math.inf)

    def test_a_send_before_the_fader_is_named_and_moved_behind_it(self) -> None:
        bench = Bench()
        sends = [{"id": "s", "to": "hall", "level_db": -6.0, "tap": "pre-fader"}]
        bench.track("lead", noise(1.0), sends=sends)
        bench.bus("hall", kind="return")
        session = bench.session()
        left = find_leaks(session, bench.media, "lead")
        self.assertEqual([(leak.strip, leak.before_fader) for leak in left.leaks], [("lead", True)])
        assert left.cure is not None
        self.assertEqual(find_leaks(apply_action(session, left.cure), bench.media, "lead").leaks, ())

    def test_nothing_is_left_of_a_plain_track(self) -> None:
        bench = Bench()
        bench.track("lead", noise(1.0))
        left = find_leaks(bench.session(), bench.media, "lead")
        self.assertEqual((left.leaks, left.rms_dbfs, left.cure), ((), -math.inf, None))
