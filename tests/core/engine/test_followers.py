"""Followers, checked on the samples."""

import math
import unittest
from typing import Any

import numpy as np

from gemischt.core.analysis.reports.duck_report import report_duck
from gemischt.core.analysis.reports.relations import find_relation
from gemischt.core.errors import InvalidAction, InvalidSession
from gemischt.core.session.actions import apply_action, name_of_edit, parse_action
from gemischt.core.session.document import Session
from tests.core.session.test_addresses import band
from tests.support.sessions import Bench, eq
from tests.support.signals import RATE_HZ, Signal, noise, sine

PIECE = 64
"""A follower is so many samples late at most."""


def follower(target: str, to: float | None, **fields: Any) -> dict[str, Any]:
    """A follower as the document holds it: all the way over 30 dB, at once."""
    plain = {"id": "f", "name": "With kick", "from": "kick", "tap": "pre-fader", "detector": "peak"}
    at_once = {"floor_db": -40.0, "ceiling_db": -10.0, "attack_ms": 0.0, "release_ms": 0.0}
    return plain | at_once | {"targets": [{"id": "t", "target": target, "to": to}]} | fields


def levels(*levels_db: float) -> Signal:
    """Half a second of each level, as a constant: its peak level is known at every sample."""
    return np.tile(np.repeat([10 ** (level / 20) for level in levels_db], RATE_HZ // 2), (2, 1))


def led(signal: Signal, key: Signal, *followers: dict[str, Any], blocks: int = 512, **strip: Any) -> Signal:
    bench = Bench(followers=list(followers), **strip.pop("session", {}))
    bench.track("kick", key, output=None)
    bench.track("bass", signal, **strip)
    return bench.render(signal.shape[1], max_block=blocks)


class FollowerTest(unittest.TestCase):
    def test_a_level_goes_to_where_the_share_says(self) -> None:
        # From -100 to the ceiling: shares of 0, a half and 1 of the way from 0 to -20 dB.
        out = led(np.ones((2, 72000)), levels(-100.0, -25.0, -10.0), follower("strips/bass/fader_db", -20.0))
        for at, wanted_db in ((23000, 0.0), (24000 + PIECE + 1, -10.0), (47000, -10.0), (71000, -20.0)):
            self.assertAlmostEqual(20 * math.log10(out[0, at]), wanted_db, places=3)

    def test_it_may_come_up_and_shares_bend(self) -> None:
        up = led(np.ones((2, 48000)), levels(-100.0, -10.0), follower("strips/bass/fader_db", 6.0))
        self.assertAlmostEqual(20 * math.log10(up[0, 47000]), 6.0, places=3)
        bent = led(np.ones((2, 48000)), levels(-100.0, -25.0), follower("strips/bass/fader_db", -20.0, bend=0.25))
        share = math.expm1(1.0) / math.expm1(2.0)
        self.assertAlmostEqual(20 * math.log10(bent[0, 47000]), -20.0 * share, places=2)

    def test_to_silence_it_goes_straight_in_amplitude(self) -> None:
        out = led(np.ones((2, 48000)), levels(-100.0, -25.0), follower("strips/bass/fader_db", None))
        self.assertAlmostEqual(out[0, 47000], 0.5, places=4)

    def test_attack_and_release_are_time_constants(self) -> None:
        key = levels(-100.0, -10.0, -100.0)
        out = led(np.ones((2, 72000)), key, follower("strips/bass/fader_db", -20.0, attack_ms=50.0, release_ms=100.0))
        share = -np.log10(np.maximum(out[0], 1e-9))
        for at, wanted in (
            (24000 + 2400, 1 - math.exp(-1)),
            (24000 + 4800, 1 - math.exp(-2)),
            (48000 + 4800, math.exp(-1)),
            (48000 + 14400, math.exp(-3)),
        ):
            self.assertAlmostEqual(share[at + PIECE // 2], wanted, delta=0.01)

    def test_two_of_one_parameter_add_up_and_stay_inside_its_range(self) -> None:
        one = follower("strips/bass/fader_db", -20.0)
        for to, wanted_db in ((-10.0, -30.0), (10.0, -10.0), (24.0, 4.0)):
            out = led(np.ones((2, 48000)), levels(-100.0, -10.0), one, follower("strips/bass/fader_db", to, id="g"))
            with self.subTest(to):
                self.assertAlmostEqual(20 * math.log10(out[0, 47000]), wanted_db, places=2)

    def test_it_starts_from_where_a_move_has_the_parameter(self) -> None:
        points = [{"at_s": 0.0, "value": -12.0}, {"at_s": 1.0, "value": 0.0}]
        moves = [{"target": "strips/bass/fader_db", "points": points}]
        key = levels(-25.0, -25.0)
        out = led(np.ones((2, 48000)), key, follower("strips/bass/fader_db", -20.0), session={"moves": moves})
        for at in (12000, 24000, 40000):
            moved_db = -12.0 + 12.0 * at / 48000
            # What follows is up to 64 samples late, and the move goes 0.016 dB meanwhile.
            self.assertAlmostEqual(20 * math.log10(out[0, at]), 0.5 * (moved_db - 20.0), delta=0.05)

    def test_a_band_is_the_static_band_where_the_share_rests(self) -> None:
        bell = {"id": "b", "shape": "bell", "frequency_hz": 1000.0, "gain_db": 6.0, "q": 2.0}
        tone = sine(1500.0, -12.0, 1.0)
        targets = {"gain_db": -12.0, "frequency_hz": 2000.0, "q": 0.5}
        for field, to in targets.items():
            address = f"strips/bass/chain/eq/bands/b/{field}"
            half = led(tone, levels(-25.0, -25.0), follower(address, to), chain=[eq(bell)])
            whole = led(tone, levels(-10.0, -10.0), follower(address, to), chain=[eq(bell)])
            middle = (bell[field] + to) / 2 if field == "gain_db" else math.sqrt(float(bell[field]) * to)  # type: ignore[operator]
            for out, value in ((half, middle), (whole, to)):
                static = led(tone, levels(-100.0, -100.0), chain=[eq(bell | {field: value})])
                steady = slice(36000, 48000)
                difference_db = 20 * np.log10(np.std(out[0, steady]) / np.std(static[0, steady]))
                with self.subTest(field, value=value):
                    self.assertAlmostEqual(difference_db, 0.0, delta=0.02)

    def test_blocks_do_not_matter_and_what_it_does_is_smooth(self) -> None:
        key = noise(0.5, level=0.1, seed=4)
        tone = sine(1000.0, -6.0, 0.5)
        chain = [eq({"id": "b", "shape": "low-shelf", "frequency_hz": 300.0, "gain_db": 0.0})]
        followers = (
            follower("strips/bass/fader_db", -20.0, attack_ms=5.0, release_ms=50.0),
            follower("strips/bass/chain/eq/bands/b/gain_db", 12.0, id="g", attack_ms=2.0, release_ms=30.0),
            follower("strips/bass/pan/position", 0.8, id="h", attack_ms=2.0, release_ms=30.0),
        )
        whole = led(tone, key, *followers, blocks=4096, chain=chain)
        self.assertGreater(np.abs(whole - led(tone, key, chain=chain)).max(), 0.05)
        for blocks in (7, 64, 1000):
            with self.subTest(blocks):
                np.testing.assert_array_equal(led(tone, key, *followers, blocks=blocks, chain=chain), whole)

    def test_another_ducks_depth_can_follow_and_a_decay_too(self) -> None:
        shut = {"id": "d", "name": "D", "curve": [{"at": 0.0, "open": 0.0}]}
        ducks = [shut | {"targets": [{"id": "t", "strip": "bass", "depth_db": -20.0}]}]
        one = follower("ducks/d/targets/t/depth_db", 0.0)
        out = led(np.ones((2, 48000)), levels(-100.0, -10.0), one, session={"ducks": ducks})
        self.assertAlmostEqual(20 * math.log10(out[0, 20000]), -20.0, places=2)
        self.assertAlmostEqual(20 * math.log10(out[0, 47000]), 0.0, places=2)

    def test_an_edit_while_it_sounds_does_not_click(self) -> None:
        tone = sine(1000.0, 0.0, 1.0)
        bench = Bench(followers=[follower("strips/bass/fader_db", -20.0, attack_ms=20.0, release_ms=80.0)])
        bench.track("kick", levels(-25.0, -15.0), output=None)
        bench.track("bass", tone)
        renderer = bench.renderer(max_block=256)
        parts = []
        for step in range(20):
            to = float(-6 * (step % 5))
            bench.fields["followers"] = [follower("strips/bass/fader_db", to, attack_ms=20.0, release_ms=80.0)]
            renderer.edit(bench.session(), bench.media)
            parts.append(renderer.render(1500))
        out = np.concatenate(parts, axis=1)
        self.assertLess(np.abs(np.diff(out[0], 2)).max(), 2.0 * np.abs(np.diff(tone[0], 2)).max())

    def test_what_it_does_is_told(self) -> None:
        bench = Bench(followers=[follower("strips/bass/fader_db", -20.0)])
        bench.track("kick", levels(-100.0, -25.0), output=None)
        bench.track("bass", np.ones((2, 48000)))
        session = bench.session()
        relation = find_relation(session, "followers/f")
        self.assertEqual(
            relation.sentence,
            "Bass fader goes to -20.0 dB with Kick · from -40.0 dB to -10.0 dB · back in 0 ms",
        )
        report = report_duck(session, bench.media, relation)
        self.assertAlmostEqual(report.figures.deepest_db, -10.0, delta=0.05)
        self.assertEqual((report.unit, report.verdict), ("dB", "Moves by up to 50 % of the way"))


class FollowerEditsTest(unittest.TestCase):
    def edited(self, session: Session, **action: Any) -> tuple[Session, str]:
        parsed = parse_action(action)
        after = apply_action(session, parsed)
        return after, name_of_edit(parsed, session, after)

    def test_one_is_made_set_and_deleted_with_what_it_follows(self) -> None:
        session, name = self.edited(
            band(), type="add-follower", source="bass", target="strips/hall/chain/room/decay_s", to=0.6
        )
        hall, bass = session.strip("hall").name, session.strip("bass").name
        self.assertEqual(name, f"{hall} Reverb decay goes to 0.6 s with {bass}")
        own = session.followers[0].id
        session, name = self.edited(session, type="set-follower", follower=own, release_ms=500.0)
        self.assertEqual(name, f"With {bass}: release 500.0")
        session, name = self.edited(
            session, type="set-follower-target", follower=own, target="strips/hall/fader_db", to=None
        )
        self.assertEqual(len(session.followers[0].targets), 2)
        without, name = self.edited(session, type="remove-processor", strip="hall", processor="room")
        self.assertEqual([item.target for item in without.followers[0].targets], ["strips/hall/fader_db"])
        gone, name = self.edited(session, type="remove-strips", strips=["bass"])
        self.assertEqual((gone.followers, name), ((), f"Delete {bass}, and the follower With {bass}"))

    def test_what_cannot_follow_is_refused_in_words(self) -> None:
        cases = (
            ({"source": "hall", "target": "strips/hall/fader_db", "to": -3.0}, "a loop"),
            ({"source": "bass", "target": "strips/hall/mute", "to": 1.0}, "cannot be moved by a follower"),
            ({"source": "bass", "target": "strips/hall/fader_db", "to": 99.0}, "must lie between"),
            ({"source": "gone", "target": "strips/hall/fader_db", "to": 0.0}, 'no strip "gone"'),
            ({"source": "bass", "target": "strips/gone/fader_db", "to": 0.0}, 'no "gone"'),
        )
        for fields, reason in cases:
            with self.subTest(reason), self.assertRaises((InvalidSession, InvalidAction)) as caught:
                self.edited(band(), type="add-follower", **fields)
            self.assertIn(reason, str(caught.exception))


if __name__ == "__main__":
    unittest.main()
