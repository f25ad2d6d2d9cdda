"""Targets that listen alike share one signal, and sound as if each had its own."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.engine.blueprint import draw_blueprint
from gemischt.core.engine.specs import Role
from tests.support.sessions import Bench, compressor
from tests.support.signals import noise, sine

N = 24000
FILTER = {"low_cut_hz": 60.0, "high_cut_hz": 4000.0}


def ducked(*filters: dict[str, Any], late_ms: tuple[float, ...] = (0.0, 0.0, 0.0)) -> Bench:
    """Three tones turned down by one noise, each with a filter in front of its detector."""
    bench = Bench()
    bench.track("trigger", noise(0.5, seed=3), output=None)
    for index, (cuts, lookahead_ms) in enumerate(zip(filters, late_ms, strict=True)):
        key = {"from": "trigger", "gain_db": 6.0, "filter": cuts}
        duck = compressor("duck", key=key, threshold_db=-40.0, lookahead_ms=lookahead_ms, release_ms=30.0 * (index + 1))
        wait = compressor("wait", ratio=1.0, lookahead_ms=lookahead_ms)
        bench.track(f"t{index}", sine(100.0 * (index + 1), -12.0, 0.5), chain=[wait, duck])
    return bench


def n_of(role: Role, bench: Bench) -> int:
    specs = draw_blueprint(bench.session(), bench.media).specs
    return sum(spec.id.role is role for spec in specs)


def n_key_filters(bench: Bench) -> int:
    return n_of(Role.KEY_FILTER, bench)


class SharedKeysTest(unittest.TestCase):
    def test_one_signal_serves_all_who_listen_alike(self) -> None:
        self.assertEqual(n_key_filters(ducked(FILTER, FILTER, FILTER)), 1)
        self.assertEqual(n_key_filters(ducked(FILTER, {"low_cut_hz": 61.0}, FILTER)), 2)

    def test_one_detector_serves_all_who_listen_in_the_same_way(self) -> None:
        bench = ducked(FILTER, FILTER, FILTER)
        # Each tone has a compressor of its own signal, too.
        self.assertEqual((n_of(Role.DETECT, bench), n_of(Role.SHAPE, bench)), (4, 6))
        bench.strips[2]["chain"][1]["params"]["detector"] = "rms"
        self.assertEqual((n_of(Role.DETECT, bench), n_of(Role.SHAPE, bench)), (5, 6))

    def test_a_listener_that_turns_away_leaves_the_others_as_they_were(self) -> None:
        bench = ducked(FILTER, FILTER, FILTER)
        renderer = bench.renderer(max_block=256)
        renderer.render(6000)
        bench.strips[1]["chain"][1]["params"]["detector"] = "rms"
        renderer.edit(bench.session(), bench.media)
        settled = renderer.render(18000)[:, 9000:]
        fresh = bench.render(N)[:, 15000:]
        np.testing.assert_allclose(settled, fresh, atol=1e-4)

    def test_a_strip_that_hears_itself_half_way_is_not_what_others_hear_behind_its_chain(self) -> None:
        own = compressor("own", key={"filter": FILTER}, ratio=1.0)
        louder = {"id": "louder", "type": "gain", "params": {"level_db": 20.0}}
        heard = []
        for chain in ([own, louder], [louder]):
            bench = Bench()
            bench.track("trigger", noise(0.5, seed=3), output=None, chain=chain)
            duck = compressor("duck", key={"from": "trigger", "filter": FILTER}, threshold_db=-40.0)
            bench.track("tone", sine(100.0, -12.0, 0.5), chain=[duck])
            heard.append(bench.render(N))
        np.testing.assert_allclose(heard[0], heard[1], atol=1e-10)

    def test_who_is_later_hears_it_later(self) -> None:
        self.assertEqual(n_key_filters(ducked(FILTER, FILTER, FILTER, late_ms=(0.0, 5.0, 5.0))), 2)

    def test_it_sounds_as_if_each_had_its_own(self) -> None:
        # A cut that differs by next to nothing is not shared.
        others = [{**FILTER, "high_cut_hz": 4000.0 + 1e-9 * (index + 1)} for index in range(3)]
        for late_ms in ((0.0, 0.0, 0.0), (0.0, 5.0, 5.0)):
            with self.subTest(late_ms=late_ms):
                alone = ducked(*others, late_ms=late_ms)
                self.assertEqual(n_key_filters(alone), 3)
                shared = ducked(FILTER, FILTER, FILTER, late_ms=late_ms)
                np.testing.assert_allclose(shared.render(N), alone.render(N), atol=1e-10)


if __name__ == "__main__":
    unittest.main()
