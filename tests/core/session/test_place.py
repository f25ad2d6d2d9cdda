"""Strips mirrored and fanned out."""

import unittest
from typing import Any

from gemischt.core.errors import GemischtError
from gemischt.core.session.actions import apply_action, name_of_edit, parse_action
from gemischt.core.session.document import Session
from tests.support.sessions import Bench
from tests.support.signals import sine


def session(n: int, **pan: Any) -> Session:
    bench = Bench()
    for name in "abcdef"[:n]:
        bench.track(name, sine(440.0, -12.0, 0.1), **({"pan": pan} if pan else {}))
    return bench.session()


def spread(before: Session, how: str, names: str, **more: Any) -> dict[str, float]:
    action = parse_action({"type": "spread-strips", "strips": list(names), "how": how} | more)
    after = apply_action(before, action)
    return {name: after.strip(name).pan.position for name in names}


class SpreadTest(unittest.TestCase):
    def test_pairs_are_mirrored_in_their_order_the_first_one_outermost(self) -> None:
        found = spread(session(5), "mirror", "abcde", arc=0.8)
        self.assertEqual(found, {"a": -0.8, "b": 0.8, "c": -0.4, "d": 0.4, "e": 0.0})

    def test_a_fan_is_even_from_left_to_right(self) -> None:
        self.assertEqual(spread(session(3), "fan", "cab", arc=0.5), {"c": -0.5, "a": 0.0, "b": 0.5})

    def test_from_the_middle_the_first_stays_there(self) -> None:
        found = spread(session(4), "from-middle", "abcd", arc=0.6)
        self.assertEqual(found, {"a": 0.0, "b": -0.3, "c": 0.3, "d": -0.6})

    def test_all_stay_on_the_stage_whatever_there_is(self) -> None:
        for n in range(2, 7):
            for how in ("mirror", "fan", "from-middle"):
                for position in spread(session(n), how, "abcdef"[:n], arc=1.0).values():
                    self.assertLessEqual(abs(position), 1.0)

    def test_two_hands_go_there_together(self) -> None:
        action = parse_action({"type": "spread-strips", "strips": ["a", "b"], "how": "fan", "arc": 0.5})
        hands = apply_action(session(2, mode="two-handed", left=-0.2, right=0.2), action)
        pan = hands.strip("a").pan
        self.assertEqual((round(pan.left, 6), round(pan.right, 6)), (-0.7, -0.3))

    def test_one_named_edit(self) -> None:
        action = parse_action({"type": "spread-strips", "strips": ["a", "b"], "how": "mirror"})
        self.assertEqual(name_of_edit(action, session(2), session(2)), "A and B: mirrored in pairs, 70 %")

    def test_what_cannot_be_spread_is_refused(self) -> None:
        for names in (["a", "a"], ["a", "nobody"]):
            with self.assertRaises(GemischtError):
                apply_action(session(2), parse_action({"type": "spread-strips", "strips": names, "how": "fan"}))


if __name__ == "__main__":
    unittest.main()
