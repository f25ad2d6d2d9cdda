"""Solo in place: what stays audible, and that keys and pre-fader feeds go on."""

import unittest

from gemischt.core.routing.solo import silenced_by_solo
from tests.support.sessions import Bench, compressor
from tests.support.signals import noise, sine


class SoloTest(unittest.TestCase):
    def band(self, **soloed: bool) -> Bench:
        bench = Bench()
        tone = sine(100, -20, 0.1)
        bench.track("bass", tone, output="low", solo=soloed.get("bass", False), sends=[{"id": "s", "to": "hall"}])
        bench.track("drum", tone, output="low", solo=soloed.get("drum", False))
        bench.track("voice", tone, solo=soloed.get("voice", False))
        bench.track("click", tone, solo_safe=True)
        bench.bus("low", solo=soloed.get("low", False))
        bench.bus("hall", kind="return")
        return bench

    def silenced(self, **soloed: bool) -> set[str]:
        return set(silenced_by_solo(self.band(**soloed).session()))

    def test_without_solo_nothing_is_silenced(self) -> None:
        self.assertEqual(self.silenced(), set())

    def test_ways_of_a_soloed_track_stay(self) -> None:
        self.assertEqual(self.silenced(bass=True), {"drum", "voice"})

    def test_a_soloed_bus_keeps_what_feeds_it(self) -> None:
        self.assertEqual(self.silenced(low=True), {"voice", "hall"})

    def test_two_solos_add_up(self) -> None:
        self.assertEqual(self.silenced(drum=True, voice=True), {"bass", "hall"})

    def test_a_silenced_trigger_still_triggers(self) -> None:
        bench = Bench()
        bench.track("trigger", noise(0.5, level=0.5))
        duck = compressor(key={"from": "trigger"}, threshold_db=-40, ratio=None, attack_ms=0)
        bench.track("target", sine(100, -10, 0.5), solo=True, chain=[duck])
        renderer = bench.renderer()
        renderer.render(9600)
        self.assertEqual(set(silenced_by_solo(bench.session())), {"trigger"})
        reductions = renderer.plan.reductions_db(384)
        self.assertGreater(float(reductions.max()), 15.0)
