"""Control groups, strips that join late, mono buses, lanes that are shifted."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.errors import InvalidSession
from tests.core.engine.test_alignment import aligned
from tests.support.sessions import Bench, compressor
from tests.support.signals import RATE_HZ, Signal, noise, peak_db, sine

N = 4800


def tone() -> Signal:
    return sine(200, -12, 0.5)


class ControlGroupTest(unittest.TestCase):
    def bench(self, groups: list[dict[str, Any]], **fields: Any) -> Bench:
        bench = Bench(control_groups=groups)
        bench.track("voice", tone(), output="bus", sends=[{"id": "s", "to": "hall", "level_db": 0.0}], **fields)
        bench.bus("bus")
        bench.bus("hall", kind="return", mute=False)
        return bench

    def test_levels_of_nested_groups_add(self) -> None:
        groups = [
            {"id": "inner", "name": "Inner", "members": ["voice"], "level_db": -6.0},
            {"id": "outer", "name": "Outer", "members": ["inner"], "level_db": -4.0},
        ]
        plain = peak_db(self.bench([]).render(N))
        self.assertAlmostEqual(peak_db(self.bench(groups).render(N)) - plain, -10.0, places=6)

    def test_a_strip_in_two_nested_groups_counts_each_once(self) -> None:
        groups = [
            {"id": "g", "name": "G", "members": ["voice", "h"], "level_db": -10.0},
            {"id": "h", "name": "H", "members": ["voice"], "level_db": -3.0},
            {"id": "i", "name": "I", "members": ["g", "h"], "level_db": -1.0},
        ]
        plain = peak_db(self.bench([]).render(N))
        self.assertAlmostEqual(peak_db(self.bench(groups[:2]).render(N)) - plain, -13.0, places=6)
        self.assertAlmostEqual(peak_db(self.bench(groups).render(N)) - plain, -14.0, places=6)

    def test_a_group_at_silence_silences_what_the_reverb_gets_and_a_bus_fader_does_not(self) -> None:
        group = {"id": "g", "name": "G", "members": ["voice", "bus"], "level_db": None}
        self.assertFalse(np.any(self.bench([group]).render(N)))
        bench = self.bench([])
        bench.strips[1]["fader_db"] = None
        self.assertAlmostEqual(peak_db(bench.render(N)), -12.0, places=3)

    def test_a_muted_group_mutes_and_a_send_before_the_fader_goes_on(self) -> None:
        group = {"id": "g", "name": "G", "members": ["voice"], "mute": True}
        self.assertFalse(np.any(self.bench([group]).render(N)))
        early = [{"id": "s", "to": "hall", "level_db": 0.0, "tap": "pre-fader"}]
        bench = self.bench([group])
        bench.strips[0]["sends"] = early
        self.assertAlmostEqual(peak_db(bench.render(N)), -12.0, places=3)

    def test_circles_and_strangers_are_refused(self) -> None:
        circle = [
            {"id": "a", "name": "A", "members": ["b"]},
            {"id": "b", "name": "B", "members": ["a"]},
        ]
        for groups, reason in (
            (circle, "member of itself"),
            ([{"id": "g", "name": "G", "members": ["nobody"]}], "no strip or group"),
            ([{"id": "voice", "name": "G", "members": []}], "same id"),
        ):
            with self.subTest(reason), self.assertRaises(InvalidSession) as caught:
                self.bench(groups).session()
            self.assertIn(reason, str(caught.exception))


class LateTest(unittest.TestCase):
    def test_the_mix_chain_spares_what_joins_late(self) -> None:
        squash = compressor("squash", threshold_db=-60.0, ratio=None, lookahead_ms=5.0)
        signal = noise(0.5)
        for late in (True, False):
            with self.subTest(late=late):
                bench = Bench()
                bench.mix["chain"] = [squash]
                bench.track("sea", signal, late=late)
                out = aligned(bench, N)
                same = np.allclose(out, signal.astype(np.float32)[:, :N], atol=1e-12)
                self.assertEqual(same, late)

    def test_late_and_early_stay_together(self) -> None:
        signal = noise(0.5)
        bench = Bench()
        bench.mix["chain"] = [compressor("late", ratio=1.0, lookahead_ms=7.0)]
        bench.track("early", signal, polarity_inverted=True)
        bench.track("sea", signal, late=True)
        self.assertLess(np.abs(aligned(bench, N)).max(), 1e-12)

    def test_the_fader_of_the_goal_still_counts(self) -> None:
        bench = Bench()
        bench.mix["fader_db"] = -6.0
        bench.track("sea", tone(), late=True)
        self.assertAlmostEqual(peak_db(bench.render(N)), -18.0, places=3)

    def test_late_without_an_output_is_refused(self) -> None:
        bench = Bench()
        bench.track("sea", tone(), late=True, output=None)
        with self.assertRaises(InvalidSession):
            bench.session()


class MonoBusTest(unittest.TestCase):
    def test_a_centred_signal_keeps_its_level_through_a_mono_bus(self) -> None:
        for law in (0.0, -3.0, -4.5, -6.0):
            with self.subTest(law=law):
                levels = []
                for pick_up in ("as-is", "mono-sum"):
                    bench = Bench(pan_law_db=law)
                    bench.track("a", sine(200, -12, 0.5, channels=1), output="bus")
                    bench.bus("bus", input=pick_up)
                    levels.append(peak_db(bench.render(N)))
                self.assertAlmostEqual(levels[0], levels[1], places=9)

    def test_panning_a_mono_bus_keeps_its_power(self) -> None:
        powers = []
        for position in (-1.0, -0.4, 0.0, 1.0):
            bench = Bench()
            bench.track("a", tone(), output="bus")
            bench.bus("bus", input="mono-sum", pan={"position": position})
            powers.append(float(np.sum(bench.render(N) ** 2)))
        np.testing.assert_allclose(powers, powers[0], rtol=1e-9)

    def test_late_strips_join_a_mono_bus_halved_and_summed(self) -> None:
        bench = Bench()
        bench.track("a", tone(), output="bus", late=True)
        bench.bus("bus", input="mono-sum")
        self.assertAlmostEqual(peak_db(bench.render(N)), -12.0, places=3)


class LaneShiftTest(unittest.TestCase):
    def lanes(self, shift_ms: float, delay_ms: float) -> Bench:
        late = {"id": "d", "type": "delay", "params": {"time_ms": delay_ms, "feedback": 0.0}}
        bench = Bench()
        lanes = [
            {"id": "clean", "name": "Clean", "polarity_inverted": True},
            {"id": "late", "name": "Late", "shift_ms": shift_ms, "chain": [late]},
        ]
        bench.track("a", noise(0.5), chain=[{"id": "p", "type": "parallel", "lanes": lanes}])
        return bench

    def test_an_earlier_shift_undoes_a_delay_and_the_song_waits(self) -> None:
        self.assertLess(np.abs(aligned(self.lanes(-5.0, 5.0), N)).max(), 1e-12)
        self.assertEqual(self.lanes(-5.0, 5.0).renderer().latency_samples, 240)

    def test_a_later_shift_delays_only_the_lane(self) -> None:
        bench = self.lanes(3.0, 5.0)
        self.assertEqual(bench.renderer().latency_samples, 0)
        signal = noise(0.5).astype(np.float32)[:, :N]
        expected = np.zeros_like(signal)
        late = round(0.008 * RATE_HZ)
        expected[:, late:] = signal[:, :-late]
        np.testing.assert_allclose(aligned(bench, N), expected - signal, atol=1e-7)

    def test_the_block_has_a_level_and_off_is_its_input(self) -> None:
        signal = noise(0.5)
        lanes = [{"id": "a", "name": "A"}, {"id": "b", "name": "B"}]
        for block, gain in (({"level_db": -6.0}, 2 * 10 ** (-6 / 20)), ({"on": False, "level_db": -6.0}, 1.0)):
            with self.subTest(block=block):
                bench = Bench()
                bench.track("a", signal, chain=[{"id": "p", "type": "parallel", "lanes": lanes, **block}])
                played = signal.astype(np.float32).astype(np.float64)[:, :N]
                np.testing.assert_allclose(bench.render(N), gain * played, atol=1e-12)
