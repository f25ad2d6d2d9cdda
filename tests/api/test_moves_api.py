"""What may move is listed, moves are edits, and what cannot move is refused in words."""

from typing import Any

from tests.api.test_routing_api import RoutingCase
from tests.core.session.test_midi import slowing
from tests.support.files import write_wav
from tests.support.signals import clicks


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


class BeatTest(RoutingCase):
    def read(self, data: bytes, *, status: int = 200) -> Any:
        url = f"/api/sessions/{self.state['id']}/midi"
        return self.ask("POST", url, params={"name": "a/Ebb.mid"}, content=data, status=status)

    def test_a_midi_file_is_read_first_and_taken_as_an_edit(self) -> None:
        action = self.read(slowing())
        self.assertEqual(self.ask("GET", f"/api/sessions/{self.state['id']}")["revision"], self.state["revision"])
        document = self.change(**action)["document"]
        self.assertEqual([change["bpm"] for change in document["tempo"]], [120.0, 60.0])
        self.assertEqual(len(document["note_tracks"][0]["notes"]), 8)

    def test_bad_midi_is_refused_in_words(self) -> None:
        self.assert_error(self.read(slowing()[:-9], status=422), "Ebb.mid", "cut short")
        self.assert_error(self.read(b"x" * (9 << 20), status=422), "Ebb.mid", "larger than 8 MiB")

    def test_an_estimate_is_offered_and_edits_nothing(self) -> None:
        wave = clicks(104.0, length_s=6.0, rate_hz=22050)
        path = write_wav(self.folder / "Click.wav", wave, rate_hz=22050, subtype="PCM_16")
        track = self.upload(self.state, path, "Click.wav")
        strips = self.change(type="add-tracks", tracks=[track])["document"]["strips"]
        click = next(strip["id"] for strip in strips if strip["name"] == "Click")
        url = f"/api/sessions/{self.state['id']}/strips/{click}/tempo"
        job = self.finished(self.ask("POST", url, status=202))
        self.assertAlmostEqual(job["result"]["bpm"], 104.0, delta=0.5)
        self.assertEqual(job["result"]["revision"], self.state["revision"])
        self.assertEqual(self.ask("GET", f"/api/sessions/{self.state['id']}"), self.state)
