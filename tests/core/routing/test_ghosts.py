"""Ghosts: strips that only keys hear."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.analysis.cache.renders import MemoryRenders
from gemischt.core.analysis.measurement.song import measure_song
from gemischt.core.errors import InvalidSession
from gemischt.core.routing.flow import lay_out_flow
from gemischt.core.session.actions import apply_action, parse_action
from gemischt.core.session.kinds import TRAITS
from tests.support.sessions import Bench, compressor
from tests.support.signals import RATE_HZ, impulse, sine


def ducked(**ghost: Any) -> Bench:
    """A tone that a click nobody hears turns down."""
    bench = Bench()
    key = {"from": "tick"}
    duck = compressor("duck", key=key, threshold_db=-30.0, ratio=None, attack_ms=0.0, release_ms=200.0)
    bench.track("tick", impulse(RATE_HZ, at=RATE_HZ // 2), kind="ghost", output=None, **ghost)
    bench.track("tone", sine(100.0, -12.0, 1.0), chain=[duck])
    return bench


class GhostTest(unittest.TestCase):
    def test_it_keys_and_is_not_heard(self) -> None:
        out = ducked().render(RATE_HZ)
        plain = ducked(clips=[]).render(RATE_HZ)
        before, after = slice(0, RATE_HZ // 2 - 10), slice(RATE_HZ // 2, RATE_HZ // 2 + 480)
        np.testing.assert_array_equal(out[:, before], plain[:, before])
        depth_db = 20 * np.log10(np.abs(out[:, after]).max() / np.abs(plain[:, after]).max())
        self.assertLess(depth_db, -20.0)

    def test_solo_does_not_make_it_heard_nor_anything_else_silent(self) -> None:
        np.testing.assert_array_equal(ducked(solo=True).render(RATE_HZ), ducked().render(RATE_HZ))

    def test_a_soloed_target_is_still_keyed_by_it(self) -> None:
        bench = ducked()
        bench.strips[1]["solo"] = True
        np.testing.assert_array_equal(bench.render(RATE_HZ), ducked().render(RATE_HZ))

    def test_outputs_and_sends_of_it_and_to_it_are_refused_in_words(self) -> None:
        cases: list[tuple[dict[str, Any], str]] = [
            ({"output": "mix"}, "strips/tick/output: a ghost is only heard by keys; it has no output"),
            (
                {"sends": [{"id": "s", "to": "mix"}]},
                "strips/tick/sends: a ghost is only heard by keys",
            ),
        ]
        for fields, reason in cases:
            bench = ducked()
            bench.strips[0] |= fields
            with self.subTest(reason), self.assertRaises(InvalidSession) as caught:
                bench.session()
            self.assertIn(reason, str(caught.exception))
        session = ducked().session()
        for action, reason in (
            ({"type": "set-output", "strips": ["tick"], "output": "mix"}, "it has no output"),
            ({"type": "add-send", "strips": ["tick"], "to": "mix"}, "it has no sends"),
            ({"type": "add-send", "strips": ["tone"], "to": "tick"}, '"tick" is a ghost; only a bus'),
        ):
            with self.subTest(action), self.assertRaises(InvalidSession) as caught:
                apply_action(session, parse_action(action))
            self.assertIn(reason, str(caught.exception))

    def test_it_is_measured_and_shown_with_its_key(self) -> None:
        bench = ducked()
        session = bench.session()
        measured = measure_song(session, bench.media, {name: name for name in bench.media}, MemoryRenders())
        self.assertAlmostEqual(measured.strips["tick"].stage("source").sample_peak_dbfs, 0.0, places=3)
        self.assertGreater(measured.strips["tone"].reductions[0].deepest_db, 20.0)
        edges = lay_out_flow(session).edges
        self.assertEqual([(edge.kind, edge.destination) for edge in edges if edge.source == "tick"], [("key", "tone")])

    def test_every_kind_has_its_traits(self) -> None:
        self.assertEqual(set(TRAITS), {"track", "ghost", "bus", "return", "mix"})


if __name__ == "__main__":
    unittest.main()
