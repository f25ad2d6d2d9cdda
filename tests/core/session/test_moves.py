"""What moves over the song: its values at any time, and edits of it."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.errors import InvalidAction
from gemischt.core.session.actions import apply_action, parse_action
from gemischt.core.session.document import Session
from gemischt.core.session.moves import Curve, curve_of
from tests.core.session.test_addresses import band

RAMP = [{"at_s": 1.0, "value": -12.0}, {"at_s": 3.0, "value": 0.0}]


def edited(session: Session, **action: Any) -> Session:
    return apply_action(session, parse_action(action))


def drawn(target: str, points: list[dict[str, Any]]) -> tuple[Session, Curve]:
    session = edited(band(), type="set-moves", moves=[{"target": target, "points": points}])
    return session, curve_of(session, session.moves[0])


class CurveTest(unittest.TestCase):
    def test_values_go_straight_in_their_own_scale(self) -> None:
        cases: dict[str, tuple[Any, Any, Any]] = {
            "strips/bass/fader_db": (-20.0, 0.0, -10.0),
            "strips/bass/pan/position": (-1.0, 0.5, -0.25),
            # In the logarithm: halfway between 100 and 1600 lies 400.
            "strips/bass/chain/eq/bands/b1/frequency_hz": (100.0, 1600.0, 400.0),
            "strips/hall/chain/room/decay_s": (0.5, 8.0, 2.0),
        }
        for target, (begin, end, middle) in cases.items():
            with self.subTest(target):
                _, curve = drawn(target, [{"at_s": 1.0, "value": begin}, {"at_s": 3.0, "value": end}])
                self.assertEqual((curve.value_at(0.0), curve.value_at(9.0)), (begin, end))
                self.assertAlmostEqual(float(curve.value_at(2.0) or 0.0), middle, places=9)

    def test_many_moments_read_as_one_by_one(self) -> None:
        random = np.random.default_rng(4)
        ranges: dict[str, tuple[float, float]] = {
            "strips/bass/pan/position": (-1.0, 1.0),
            "strips/bass/chain/eq/bands/b1/frequency_hz": (20.0, 20000.0),
            "strips/bass/chain/eq/bands/b1/gain_db": (-24.0, 24.0),
            "strips/bass/mute": (0.0, 1.0),
        }
        for target, (low, high) in ranges.items():
            times_s = np.sort(random.uniform(0.0, 10.0, 12))
            times_s[5] = times_s[4]
            values = [float(value) for value in random.uniform(low, high, 12)]
            given = [value > 0.5 for value in values] if target.endswith("mute") else values
            bends = random.uniform(-1.0, 1.0, 12)
            points = [
                {"at_s": float(at_s), "value": value, "bend": float(bend)}
                for at_s, value, bend in zip(times_s, given, bends, strict=True)
            ]
            _, curve = drawn(target, points)
            asked_s = np.concatenate([random.uniform(-1.0, 12.0, 400), times_s])
            with self.subTest(target):
                self.assertTrue(curve.is_plain)
                one_by_one = [float(curve.value_at(at_s) or 0.0) for at_s in asked_s.tolist()]
                np.testing.assert_allclose(curve.values_at(asked_s), one_by_one, rtol=1e-9, atol=1e-9)
                before = [float(curve.value_before(at_s) or 0.0) for at_s in curve.steps_s]
                self.assertEqual(curve.values_before_steps.tolist(), before)
        _, silent = drawn("strips/bass/fader_db", [{"at_s": 0.0, "value": None}, {"at_s": 2.0, "value": 0.0}])
        self.assertFalse(silent.is_plain)

    def test_a_level_from_silence_goes_straight_in_amplitude(self) -> None:
        _, curve = drawn("strips/bass/fader_db", [{"at_s": 0.0, "value": None}, {"at_s": 2.0, "value": 0.0}])
        self.assertIsNone(curve.value_at(0.0))
        self.assertAlmostEqual(float(curve.value_at(1.0) or 0.0), -6.0206, places=4)

    def test_of_two_points_at_one_time_the_later_counts_from_there(self) -> None:
        points = [{"at_s": 0.0, "value": -6.0}, {"at_s": 1.0, "value": -6.0}, {"at_s": 1.0, "value": 0.0}]
        _, curve = drawn("strips/bass/fader_db", points)
        self.assertEqual((curve.value_at(0.999), curve.value_before(1.0), curve.value_at(1.0)), (-6.0, -6.0, 0.0))
        self.assertEqual(curve.steps_s, [1.0])

    def test_breakpoints_cover_a_stretch_and_no_more_than_they_must(self) -> None:
        _, curve = drawn("strips/bass/fader_db", RAMP)
        whole = sorted(set(curve.breakpoints_s(0.0, 10.0)))
        self.assertEqual((whole[0], whole[-1], len(whole)), (1.0, 3.0, 61))
        part = sorted(set(curve.breakpoints_s(2.0, 2.1)))
        self.assertTrue(set(part) <= set(whole))
        self.assertLess(len(part), 15)
        self.assertTrue({at_s for at_s in whole if 2.0 < at_s < 2.1} <= set(part))


class EditsTest(unittest.TestCase):
    def test_drawing_again_replaces_and_removing_lets_it_rest(self) -> None:
        session, _ = drawn("strips/bass/fader_db", RAMP)
        again = edited(session, type="set-moves", moves=[{"target": "strips/bass/fader_db", "points": RAMP[:1]}])
        self.assertEqual([len(move.points) for move in again.moves], [1])
        self.assertEqual(edited(again, type="remove-moves", targets=["strips/bass/fader_db"]).moves, ())
        with self.assertRaises(InvalidAction):
            edited(band(), type="remove-moves", targets=["strips/bass/fader_db"])

    def test_of_several_moves_none_may_lead_nowhere(self) -> None:
        targets = ("strips/bass/fader_db", "strips/gone/fader_db")
        moves = [{"target": target, "points": RAMP} for target in targets]
        with self.assertRaisesRegex(InvalidAction, 'no "gone"'):
            edited(band(), type="set-moves", moves=moves)

    def test_edits_are_named_after_what_moves(self) -> None:
        target = "strips/bass/chain/squash/threshold_db"
        draw = parse_action({"type": "set-moves", "moves": [{"target": target, "points": RAMP[:1]}]})
        self.assertEqual(draw.describe(band()), "Bass Compressor threshold: drawn over the song, 1 point")
        off = parse_action({"type": "set-moves", "moves": [{"target": target, "on": False, "points": RAMP[:1]}]})
        self.assertEqual(off.describe(apply_action(band(), draw)), "Bass Compressor threshold: move off")

    def test_edits_of_one_point_say_what_became_of_it(self) -> None:
        target = "strips/bass/fader_db"
        session, _ = drawn(target, RAMP)
        more = {"at_s": 2.0, "value": -3.0}
        cases: tuple[tuple[list[dict[str, Any]], str], ...] = (
            ([RAMP[0], more, RAMP[1]], "a point of -3.0 dB at bar 2|1"),
            ([*RAMP, {"at_s": 4.0, "value": -3.0}], "a point of -3.0 dB at bar 3|1"),
            ([RAMP[1]], "no point at bar 1|3"),
            ([RAMP[0]], "no point at bar 2|3"),
            ([RAMP[0], more], "a point to -3.0 dB at bar 2|1"),
            ([{**RAMP[0], "bend": 0.5}, RAMP[1]], "bent from bar 1|3 on"),
            ([more], "drawn over the song, 1 point"),
        )
        for points, words in cases:
            with self.subTest(words):
                action = parse_action({"type": "set-moves", "moves": [{"target": target, "points": points}]})
                self.assertEqual(action.describe(session), f"Bass fader: {words}")

    def test_what_goes_takes_its_moves_along(self) -> None:
        targets = ["strips/bass/fader_db", "strips/hall/chain/room/decay_s", "strips/bass/sends/s/level_db"]
        points = [[{"at_s": 0.0, "value": 1.0}]] * 3
        moves = [{"target": target, "points": p} for target, p in zip(targets, points, strict=True)]
        session = edited(band(), type="set-moves", moves=moves)
        without_room = edited(session, type="remove-processor", strip="hall", processor="room")
        self.assertEqual([move.target for move in without_room.moves], [targets[0], targets[2]])
        without_hall = edited(session, type="remove-strips", strips=["hall"])
        self.assertEqual([move.target for move in without_hall.moves], [targets[0]])


if __name__ == "__main__":
    unittest.main()
