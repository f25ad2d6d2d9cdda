"""Flow, ledger, leaks, lanes, references, waveforms and presets over HTTP."""

from typing import Any

from tests.api.test_api import ApiCase
from tests.support.files import write_wav
from tests.support.sessions import eq
from tests.support.signals import noise, sine


class RoutingCase(ApiCase):
    def setUp(self) -> None:
        super().setUp()
        self.state = self.create()
        tracks = []
        for name, signal in (("Tone", sine(200, -12, 2.0)), ("Noise", noise(2.0))):
            tracks.append(self.upload(self.state, write_wav(self.folder / f"{name}.wav", signal), f"{name}.wav"))
        self.change(type="add-tracks", tracks=tracks)

    def change(self, *, status: int = 200, **action: Any) -> dict[str, Any]:
        answer = self.edit(self.state, status=status, **action)
        if status == 200:
            self.state = answer
        return answer

    def measure(self, path: str, **body: Any) -> Any:
        url = f"/api/sessions/{self.state['id']}/strips/{path}"
        job = self.finished(self.ask("POST", url, json={"stretch_s": None, **body}, status=202))
        self.assertEqual(job["state"], "done", job)
        return job["result"]


class LedgerTest(RoutingCase):
    def test_two_ways_add_six_decibels(self) -> None:
        self.change(type="add-send", strips=["tone"], to="mix", level_db=0.0)
        result = self.measure("tone/ledger")
        self.assertEqual(len(result["ways"]), 2)
        self.assertAlmostEqual(result["sum_gain_db"], 6.0206, places=3)
        self.assertEqual(result["revision"], self.state["revision"])

    def test_silence_is_null(self) -> None:
        self.change(type="set-output", strips=["tone"], output=None)
        self.assertIsNone(self.measure("tone/ledger")["sum_rms_dbfs"])

    def test_a_stretch_that_ends_before_it_starts_is_refused(self) -> None:
        url = f"/api/sessions/{self.state['id']}/strips/tone/ledger"
        answer = self.ask("POST", url, json={"stretch_s": [3.0, 1.0]}, status=422)
        self.assertIn("must begin at 0", answer["what"])

    def test_a_strip_or_block_that_is_not_there(self) -> None:
        for path in ("none/ledger", "none/leaks", "tone/blocks/none/report"):
            with self.subTest(path):
                url = f"/api/sessions/{self.state['id']}/strips/{path}"
                self.ask("POST", url, json={}, status=422)

    def test_the_cure_of_a_leak_can_be_sent_back_as_an_edit(self) -> None:
        self.change(type="add-strip", kind="return", name="Hall", effect="reverb")
        self.change(type="add-send", strips=["tone", "noise"], to="hall")
        self.change(type="bus-from-strips", strips=["tone", "noise"], name="Band")
        result = self.measure("band/leaks")
        self.assertEqual({leak["strip"] for leak in result["leaks"]}, {"tone", "noise"})
        self.change(**result["cure"])
        self.assertEqual(self.state["document"]["control_groups"][0]["members"], ["tone", "noise", "band"])

    def test_lanes_are_measured(self) -> None:
        self.change(type="add-parallel", strip="noise", rack="clean")
        self.change(type="add-lane", strip="noise", block="lanes", rack="clean")
        result = self.measure("noise/blocks/lanes/report")
        self.assertAlmostEqual(result["change_lu"], 6.02, delta=0.01)


class PictureTest(RoutingCase):
    def test_the_flow_and_its_folding(self) -> None:
        self.change(type="folder-from-strips", strips=["tone", "noise"], name="All")
        flow = self.ask("GET", f"/api/sessions/{self.state['id']}/flow")
        self.assertEqual({node["id"] for node in flow["nodes"]}, {"tone", "noise", "mix"})
        flow = self.ask("GET", f"/api/sessions/{self.state['id']}/flow", params={"folded": "all"})
        self.assertEqual({node["id"] for node in flow["nodes"]}, {"folder all", "mix"})
        self.assertEqual([row["folder"] for row in self.state["tree"]], ["all", None, None, None])

    def test_references(self) -> None:
        self.change(type="bus-from-strips", strips=["tone", "noise"], name="Band")
        said = self.ask("GET", f"/api/sessions/{self.state['id']}/references", params={"strips": ["band"]})
        self.assertEqual(said, ["Tone and Noise will play where it played instead."])

    def test_waveforms(self) -> None:
        media = self.state["document"]["media"][0]["id"]
        peaks = self.ask("GET", f"/api/sessions/{self.state['id']}/media/{media}/waveform")
        self.assertEqual(len(peaks), 40)
        self.assertAlmostEqual(max(peaks), 0.251, places=2)
        self.ask("GET", f"/api/sessions/{self.state['id']}/media/none/waveform", status=404)

    def test_a_loop_is_refused_in_words(self) -> None:
        self.change(type="add-strip", kind="return", name="Echo")
        self.change(type="add-strip", kind="return", name="Hall")
        self.change(type="add-send", strips=["echo"], to="hall")
        answer = self.change(type="add-send", strips=["hall"], to="echo", status=422)
        self.assertIn("a loop: Echo -> Hall -> Echo", answer["what"])

    def test_media_know_how_long_they_are(self) -> None:
        self.assertEqual(self.state["document"]["media"][0]["duration_s"], 2.0)


class PresetTest(ApiCase):
    def test_kept_listed_exported_and_brought_in_again(self) -> None:
        document = {"format": "gemischt-preset", "version": 1, "name": "Warm / ½", "processors": [eq({"gain_db": 2.0})]}
        kept = self.ask("POST", "/api/presets", json=document, status=201)
        self.assertEqual([item["id"] for item in self.ask("GET", "/api/presets")], [kept["id"]])
        response = self.client.get(f"/api/presets/{kept['id']}/file")
        self.assertIn("Warm _ _.gemischt-preset.json", response.headers["content-disposition"])
        again = self.ask("POST", "/api/presets", json=response.json(), status=201)
        self.assertEqual(again["preset"]["name"], "Warm / ½ (2)")
        self.ask("DELETE", f"/api/presets/{kept['id']}", status=204)
        self.ask("DELETE", f"/api/presets/{kept['id']}", status=404)

    def test_what_is_no_preset_is_refused(self) -> None:
        for document in ({"name": "X"}, {"name": "X", "processors": [{"id": "a", "type": "none"}]}):
            with self.subTest(document=document):
                self.ask("POST", "/api/presets", json=document, status=422)

    def test_racks_are_listed_with_their_names(self) -> None:
        racks = {item["rack"]: item["label"] for item in self.ask("GET", "/api/racks")}
        self.assertEqual(racks["short-room"], "Short room")
