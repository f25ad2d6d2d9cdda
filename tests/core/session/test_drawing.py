"""Strokes, cuts and copies of curves: what was touched is as drawn, all else as before."""

import random
import unittest
from typing import Any

import numpy as np

from gemischt.core.errors import InvalidAction, InvalidSession
from gemischt.core.parameters import Value
from gemischt.core.session import drawing
from gemischt.core.session.actions import apply_action, name_of_edit, parse_action
from gemischt.core.session.document import MovePoint, Session
from gemischt.core.session.moves import Curve, curve_of, curve_or_rest
from tests.core.session.test_addresses import band

FADER = "strips/bass/fader_db"
MUTE = "strips/bass/mute"
FREQUENCY = "strips/bass/chain/eq/bands/b1/frequency_hz"


def edited(session: Session, **action: Any) -> Session:
    return apply_action(session, parse_action(action))


def points(*pairs: tuple[float, Value]) -> list[dict[str, Any]]:
    return [{"at_s": at_s, "value": value} for at_s, value in pairs]


def moved(target: str, *pairs: tuple[float, Value]) -> Session:
    return edited(band(), type="set-moves", moves=[{"target": target, "points": points(*pairs)}])


def curve(session: Session, target: str = FADER) -> Curve:
    return curve_of(session, next(move for move in session.moves if move.target == target))


def random_curve(rng: random.Random) -> Curve:
    times = sorted(rng.uniform(0.0, 10.0) for _ in range(rng.randint(1, 6)))
    if len(times) > 3 and rng.random() < 0.5:
        times[2] = times[1]
    made = [
        MovePoint(
            at_s=at_s,
            value=None if rng.random() < 0.2 else rng.uniform(-40.0, 6.0),
            bend=rng.choice((0.0, rng.uniform(-1, 1))),
        )
        for at_s in times
    ]
    return Curve(FADER, tuple(made), curve_or_rest(band(), FADER).parameter)


class CutsTest(unittest.TestCase):
    def assert_same(self, one: Curve, other: Curve, times_s: Any) -> None:
        np.testing.assert_allclose(one.gains_at(times_s), other.gains_at(times_s), atol=2e-3, rtol=1e-3)

    def test_a_cut_curve_is_what_it_was_on_either_side(self) -> None:
        rng = random.Random(11)
        for number in range(300):
            whole = random_curve(rng)
            at_s = rng.choice((rng.uniform(0.0, 11.0), whole.points[0].at_s, whole.points[-1].at_s))
            before = Curve(FADER, drawing.until_time(whole, at_s), whole.parameter)
            after = Curve(FADER, drawing.from_time(whole, at_s), whole.parameter)
            with self.subTest(number):
                self.assertEqual((before.points[-1].at_s, after.points[0].at_s), (at_s, at_s))
                self.assert_same(before, whole, np.linspace(0.0, at_s, 50, endpoint=False))
                self.assert_same(after, whole, np.linspace(at_s, 12.0, 50))

    def test_a_stroke_replaces_what_it_touches_and_no_more(self) -> None:
        rng = random.Random(12)
        for number in range(300):
            whole = random_curve(rng)
            from_s, to_s = sorted((rng.uniform(0.0, 10.0), rng.uniform(0.0, 10.0)))
            stroke = (MovePoint(at_s=from_s, value=3.0), MovePoint(at_s=to_s, value=-3.0))
            after = Curve(FADER, drawing.replaced(whole, stroke), whole.parameter)
            with self.subTest(number):
                self.assert_same(after, whole, np.linspace(0.0, from_s, 40, endpoint=False))
                self.assert_same(after, whole, np.linspace(to_s, 12.0, 40))
                self.assertAlmostEqual(float(after.value_at(0.5 * (from_s + to_s)) or 0.0), 0.0, places=6)


class StrokesTest(unittest.TestCase):
    def test_a_thinned_stroke_strays_by_a_tenth_of_a_db_at_most(self) -> None:
        rng = np.random.default_rng(3)
        times_s = np.arange(4000) * 0.0049
        levels = -12.0 + np.cumsum(rng.normal(0.0, 0.05, 4000)) + 4.0 * np.sin(times_s)
        stroke = points(*zip(times_s.tolist(), levels.tolist(), strict=True))
        session = edited(band(), type="draw-moves", strokes=[{"target": FADER, "points": stroke}])
        drawn = curve(session)
        # Behind its last point the old curve is back.
        found = 20.0 * np.log10(drawn.gains_at(np.round(times_s[:-1], 3)))
        self.assertLess(np.abs(found - levels[:-1]).max(), drawing.THIN_DB + 0.006)
        self.assertLess(len(drawn.points), 1500)
        # A straight line is two points, and what was there before it.
        line = points(*((0.01 * k, -6.0 + 0.05 * k) for k in range(100)))
        self.assertLessEqual(
            len(curve(edited(band(), type="draw-moves", strokes=[{"target": FADER, "points": line}])).points), 4
        )

    def test_a_step_and_a_way_to_silence_survive(self) -> None:
        stroke = points((1.0, -6.0), (1.5, -6.0), (1.5, 0.0), (2.0, 0.0), (2.5, None), (3.0, None), (3.5, -20.0))
        drawn = curve(edited(band(), type="draw-moves", strokes=[{"target": FADER, "points": stroke}]))
        values = [drawn.value_at(at_s) for at_s in (1.49, 1.5, 2.0, 2.75, 3.5)]
        self.assertEqual(values, [-6.0, 0.0, 0.0, None, curve_or_rest(band(), FADER).value_at(4.0)])

    def test_a_recording_returns_to_the_old_curve(self) -> None:
        session = moved(FADER, (0.0, -10.0))
        stroke = {"target": FADER, "points": points((2.0, 0.0), (3.0, 0.0))}
        after = edited(session, type="draw-moves", strokes=[stroke], recorded=True, return_s=0.5)
        drawn = curve(after)
        self.assertEqual([drawn.value_at(at_s) for at_s in (1.9, 2.0, 3.25, 3.5)], [-10.0, 0.0, -5.0, -10.0])
        action = parse_action({"type": "draw-moves", "strokes": [stroke], "recorded": True})
        self.assertEqual(action.describe(session), "Bass Fader: recorded in bar 2".replace("Fader", "fader"))

    def test_a_switch_keeps_its_changes(self) -> None:
        stroke = points(*((0.1 * k, 2.0 <= 0.1 * k < 4.0) for k in range(60)))
        drawn = curve(edited(band(), type="draw-moves", strokes=[{"target": MUTE, "points": stroke}]), MUTE)
        self.assertEqual(
            [drawn.value_at(at_s) for at_s in (1.9, 2.05, 3.95, 4.05, 9.0)], [False, True, True, False, False]
        )
        self.assertLessEqual(len(drawn.points), 5)

    def test_bad_strokes_are_refused(self) -> None:
        bad: tuple[tuple[str, list[dict[str, Any]]], ...] = (
            (FADER, points((2.0, 0.0), (1.0, 0.0))),
            (FADER, points((0.0, 99.0))),
            (FADER, points(*((0.001 * k, 0.0) for k in range(100_000)))),
            (FADER, []),
            (MUTE, points((0.0, 0.5))),
            ("strips/gone/fader_db", points((0.0, 0.0))),
            ("strips/bass/name", points((0.0, 0.0))),
        )
        for target, stroke in bad:
            with self.subTest(target, n=len(stroke)), self.assertRaises((InvalidAction, InvalidSession)):
                edited(band(), type="draw-moves", strokes=[{"target": target, "points": stroke}])


class ReshapeTest(unittest.TestCase):
    def test_shifted_in_a_stretch_and_scaled_around_its_middle(self) -> None:
        session = moved(FADER, (0.0, -12.0), (4.0, -4.0))
        up = curve(edited(session, type="reshape-moves", targets=[FADER], from_s=1.0, to_s=3.0, by=2.0))
        self.assertEqual([up.value_at(at_s) for at_s in (0.5, 2.0, 3.5)], [-11.0, -6.0, -5.0])
        twice = curve(edited(session, type="reshape-moves", targets=[FADER], times=2.0))
        self.assertEqual([point.value for point in twice.points], [-16.0, 0.0])
        octave = moved(FREQUENCY, (0.0, 100.0), (4.0, 400.0))
        higher = curve(edited(octave, type="reshape-moves", targets=[FREQUENCY], by=1.0), FREQUENCY)
        np.testing.assert_allclose([float(point.value or 0.0) for point in higher.points], [200.0, 800.0])

    def test_it_stays_inside_the_range_and_silence_stays_silent(self) -> None:
        session = moved(FADER, (0.0, None), (4.0, 20.0))
        after = curve(edited(session, type="reshape-moves", targets=[FADER], by=10.0))
        self.assertEqual([point.value for point in after.points], [None, 24.0])

    def test_what_cannot_be_scaled_says_so(self) -> None:
        for session, target in ((moved(MUTE, (0.0, True)), MUTE), (band(), FADER)):
            with self.subTest(target), self.assertRaises(InvalidAction):
                edited(session, type="reshape-moves", targets=[target], by=1.0)

    def test_setting_a_moved_value_shifts_its_curve(self) -> None:
        session = moved(FADER, (0.0, -12.0), (4.0, -4.0))
        rests = float(session.strip("bass").fader_db or 0.0)
        after = edited(session, type="set-strips", changes=[{"strip": "bass", "fader_db": rests + 3.0}])
        self.assertEqual([point.value for point in after.moves[0].points], [-9.0, -1.0])
        silent = edited(session, type="set-strips", changes=[{"strip": "bass", "fader_db": None}])
        self.assertEqual(silent.moves, session.moves)


class CopyTest(unittest.TestCase):
    def test_a_stretch_goes_to_another_place_and_another_strip(self) -> None:
        session = moved(FADER, (0.0, -12.0), (2.0, -12.0), (4.0, 0.0), (4.0, -12.0))
        copies = [
            {"source": FADER, "target": FADER, "at_s": 8.0},
            {"source": FADER, "target": "strips/hall/fader_db", "at_s": 2.0},
        ]
        after = edited(session, type="copy-moves", from_s=2.0, to_s=4.0, copies=copies)
        self.assertEqual([curve(after).value_at(at_s) for at_s in (3.0, 7.9, 9.0, 10.1)], [-6.0, -12.0, -6.0, -12.0])
        hall = curve(after, "strips/hall/fader_db")
        rests = after.strip("hall").fader_db
        self.assertEqual([hall.value_at(at_s) for at_s in (1.0, 3.0, 5.0)], [rests, -6.0, rests])

    def test_it_keeps_its_note_values_in_another_tempo(self) -> None:
        session = edited(
            moved(FADER, (0.0, -12.0), (2.0, 0.0)), type="set-tempo", tempo=[{}, {"at_s": 8.0, "bpm": 60.0}]
        )
        after = edited(
            session, type="copy-moves", from_s=0.0, to_s=2.0, copies=[{"source": FADER, "target": FADER, "at_s": 8.0}]
        )
        self.assertEqual([curve(after).value_at(at_s) for at_s in (10.0, 11.0)], [-6.0, -3.0])

    def test_other_units_are_refused_in_words(self) -> None:
        session = moved(FADER, (0.0, -12.0))
        copies = [{"source": FADER, "target": FREQUENCY, "at_s": 0.0}]
        with self.assertRaisesRegex(InvalidAction, "dB do not fit Hz"):
            edited(session, type="copy-moves", from_s=0.0, to_s=2.0, copies=copies)


class LostMovesTest(unittest.TestCase):
    def test_the_name_of_an_edit_says_which_moves_go(self) -> None:
        session = moved(FADER, (0.0, -12.0))
        action = parse_action({"type": "remove-strips", "strips": ["bass"]})
        self.assertEqual(
            name_of_edit(action, session, apply_action(session, action)), "Delete Bass, and what moved: Bass fader"
        )


if __name__ == "__main__":
    unittest.main()
