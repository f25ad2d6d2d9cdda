"""What makes room for what, over HTTP."""

from tests.api.test_routing_api import RoutingCase


class DucksTest(RoutingCase):
    def setUp(self) -> None:
        super().setUp()
        self.url = f"/api/sessions/{self.state['id']}"

    def test_the_usual_ways_are_listed_and_each_becomes_a_sentence(self) -> None:
        ways = [way["way"] for way in self.ask("GET", "/api/ways")]
        for way in ways:
            self.change(type="make-room", targets=["tone"], trigger="noise", way=way)
        relations = self.ask("GET", f"{self.url}/relations")
        self.assertEqual(len(relations), len(ways))
        self.assertEqual([relation["kind"] for relation in relations].count("duck"), 2)
        first = relations[0]
        self.assertTrue(first["sentence"].startswith("Tone makes room for Noise"))
        self.assertEqual("".join(word["text"] for word in first["words"]), first["sentence"])
        addresses = [word["address"] for word in first["words"] if word["address"]]
        self.change(type="set-parameters", values=[{"address": addresses[-1], "value": 77.0}])
        self.assertIn("77 ms", self.ask("GET", f"{self.url}/relations")[0]["sentence"])

    def test_one_is_heard_at_a_target_over_a_stretch(self) -> None:
        self.change(type="add-duck", name="Tide", strips=["tone", "noise"], settings={"depth_db": -9.0})
        order = {"relation": "ducks/tide", "target": "noise", "stretch_s": [0.5, 1.5]}
        job = self.finished(self.ask("POST", f"{self.url}/ducks/report", json=order, status=202))
        self.assertEqual(job["state"], "done", job)
        result = job["result"]
        self.assertEqual((result["target"], result["start_s"], result["end_s"]), ("noise", 0.5, 1.5))
        self.assertAlmostEqual(result["figures"]["deepest_db"], -9.0, delta=0.1)
        self.assertEqual(result["revision"], self.state["revision"])
        job = self.finished(self.ask("POST", f"{self.url}/ducks/glance", json={}, status=202))
        self.assertEqual([glance["relation"] for glance in job["result"]["glances"]], ["ducks/tide"])

    def test_a_way_is_proposed_from_what_is_heard_of_both(self) -> None:
        order = {"target": "tone", "trigger": "noise"}
        job = self.finished(self.ask("POST", f"{self.url}/ducks/proposal", json=order, status=202))
        self.assertEqual(job["state"], "done", job)
        result = job["result"]
        self.assertIn(result["way"], [way["way"] for way in self.ask("GET", "/api/ways")])
        self.assertIn("Noise", result["why"])
        self.change(**result["edit"])
        self.assertEqual(len(self.ask("GET", f"{self.url}/relations")), 1)
        self.ask("POST", f"{self.url}/ducks/proposal", json=order | {"trigger": "gone"}, status=422)

    def test_what_is_not_there_is_refused_in_words(self) -> None:
        answer = self.ask("POST", f"{self.url}/ducks/report", json={"relation": "ducks/gone"}, status=422)
        self.assertIn("nothing makes room like this", answer["what"])
        for action in (
            {"type": "set-duck", "duck": "gone", "on": False},
            {"type": "add-duck", "name": "X", "strips": ["gone"]},
            {"type": "make-room", "targets": ["tone"], "trigger": "gone", "way": "pump"},
        ):
            with self.subTest(action):
                self.assertIn("there is no", self.change(status=422, **action)["what"])
        self.change(status=422, type="make-room", targets=["tone"], trigger="noise", way="wish")
        self.change(status=422, type="make-room", targets=["tone"], trigger="tone", way="drawn-at-hits")
