"""What may move is listed, moves are edits, and what cannot move is refused in words."""

from typing import Any

from tests.api.test_routing_api import RoutingCase


class MovesTest(RoutingCase):
    def test_whatever_is_listed_can_be_drawn(self) -> None:
        listed = self.ask("GET", f"/api/sessions/{self.state['id']}/movables")
        names = {item["address"]: item["name"] for item in listed}
        self.assertGreater(len(names), 10)
        self.assertFalse([address for address in names if address.endswith(("/solo", "/lookahead_ms", "/input"))])
        moves = [{"target": item["address"], "points": [{"at_s": 0.0, "value": item["value"]}]} for item in listed]
        document = self.change(type="set-moves", moves=moves)["document"]
        self.assertEqual(len(document["moves"]), len(listed))
        self.assertEqual(self.change(type="remove-moves", targets=list(names))["document"]["moves"], [])

    def test_what_cannot_move_is_refused_in_words(self) -> None:
        strip = self.state["document"]["strips"][0]["id"]
        cases: dict[str, tuple[str, Any, str]] = {
            "a solo": (f"strips/{strip}/solo", True, "cannot move"),
            "nothing": ("strips/gone/fader_db", 0.0, 'there is no "gone"'),
            "too loud": (f"strips/{strip}/fader_db", 99.0, "must lie between"),
        }
        for name, (target, value, words) in cases.items():
            with self.subTest(name):
                points = [{"at_s": 0.0, "value": value}]
                told = self.change(status=422, type="set-moves", moves=[{"target": target, "points": points}])
                self.assertIn(words, str(told))
