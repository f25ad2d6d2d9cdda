"""The print list over HTTP: what it would make, what it made, against what is asked; sessions taken in and listed."""

from typing import Any

from tests.api.test_api import mix_print
from tests.api.test_level_api import LevelApiCase


class PrintsApiTest(LevelApiCase):
    def add(self, **fields: Any) -> None:
        self.state = self.edit(self.state, type="set-print", print=mix_print(**fields))

    def run_list(self) -> list[dict[str, Any]]:
        job = self.finished(self.ask("POST", f"{self.path}/prints", json={}, status=202))
        self.assertEqual((job["state"], job["result"]["problems"]), ("done", []), job)
        files: list[dict[str, Any]] = self.ask("GET", f"{self.path}/prints")
        return files

    def test_what_a_list_would_make_and_what_it_made(self) -> None:
        self.add()
        coming = self.ask("GET", f"{self.path}/prints-coming")
        self.assertEqual(coming, [{"print": "mix", "files": [f"{self.state['document']['name']} - Mix.wav"],
                                   "problem": None}])  # fmt: skip
        (file,) = self.run_list()
        self.assertEqual((file["print"], file["state"], file["file_name"]), ("mix", "done", coming[0]["files"][0]))
        curve = self.ask("GET", f"{self.path}/prints/{file['id']}/curve")
        self.assertAlmostEqual(max(curve["peaks"]), 0.398, places=2)
        self.assertEqual(len(curve["peaks"]), len(curve["short_term_lufs"]))

    def test_an_empty_list_is_refused_in_words(self) -> None:
        self.assert_error(self.ask("POST", f"{self.path}/prints", json={}, status=422), "empty")

    def test_a_print_is_held_against_what_is_asked_for_now(self) -> None:
        self.add()
        self.assertIsNone(self.run_list()[0]["verdict"])
        self.state = self.edit(self.state, type="set-printing", meant_for="r128")
        verdict = self.ask("GET", f"{self.path}/prints")[0]["verdict"]
        # A sine at -8 dBFS in both channels: -8.0 LUFS (BS.1770).
        self.assertAlmostEqual(verdict["gain_db"], -15.0, delta=0.1)
        choices = self.ask("GET", f"{self.path}/print-choices")
        self.assertIn("r128", [target["id"] for target in choices["targets"]])
        self.assertIn("mp3", [one["format"] for one in choices["formats"]])

    def test_a_shared_target_is_offered_to_every_song(self) -> None:
        other = self.ask("POST", "/api/sessions", json={"name": "Other"}, status=201)
        choices = f"/api/sessions/{other['id']}/print-choices"
        for lufs in (-9.0, -8.5):
            self.ask("POST", "/api/targets", json={"id": "own-1", "name": "Club", "lufs": lufs}, status=204)
            self.assertEqual([one["lufs"] for one in self.ask("GET", choices)["shared"]], [lufs])
        self.ask("DELETE", "/api/targets?name=Club", status=204)
        self.assertEqual(self.ask("GET", choices)["shared"], [])
        self.assert_error(self.ask("DELETE", "/api/targets?name=Club", status=404), "Club")

    def test_what_changed_since_and_the_song_as_it_stood(self) -> None:
        self.add()
        (file,) = self.run_list()
        self.fader(-6.0)
        path = f"{self.path}/prints/{file['id']}"
        since = self.ask("GET", f"{path}/differences")
        self.assertEqual(since["edits"], 1)
        self.assertIn("fader", since["differences"][0]["words"])
        kept = self.ask("POST", f"{path}/snapshot", status=201)
        sound = self.ask("POST", f"{path}/sound", status=201)
        self.assertEqual(len(self.ask("GET", f"{self.path}/snapshots")), 2)
        self.assertIn("Mix", kept["name"])
        # Heard against the song as it is, at one loudness: the file is what the song was before the fader went down.
        for snapshot in (kept, sound):
            match = self.run_job("match", snapshot=snapshot["id"], action=None)
            self.assertAlmostEqual(match["matching_db"], -6.0, delta=0.1)

    def test_two_files_lie_beside_each_other_to_be_compared(self) -> None:
        self.add()
        (first,) = self.run_list()
        self.fader(-6.0)
        second, _ = self.run_list()
        path = f"{self.path}/prints/{first['id']}/against"
        beside = self.ask("POST", path, json={"other": second["id"]}, status=201)["document"]
        one, other, _ = beside["strips"]
        self.assertEqual([(one["name"], one["mute"]), (other["name"], other["mute"])],
                         [(first["name"], False), (f"{first['name']} 2", True)])  # fmt: skip
        self.ask("POST", path, json={"other": "none"}, status=404)

    def test_it_comes_back_and_its_file_can_be_deleted(self) -> None:
        self.add(strips=["tone"], back="track")
        (file,) = self.run_list()
        strips = self.ask("GET", self.path)["document"]["strips"]
        self.assertEqual([strip["print_of"] for strip in strips], [None, "tone", None])
        self.ask("POST", f"{self.path}/prints/{file['id']}/back", json={})
        self.ask("DELETE", f"{self.path}/prints/{file['id']}", status=204)
        self.assertEqual(self.ask("GET", f"{self.path}/prints"), [])
        self.ask("POST", f"{self.path}/prints/{file['id']}/back", json={}, status=404)
        self.ask("GET", f"{self.path}/prints/none/curve", status=404)

    def test_a_strip_that_is_gone_is_said(self) -> None:
        self.add(strips=["tone"], back="track")
        self.edit(self.state, type="remove-strips", strips=["tone"])
        order = mix_print(strips=["tone"], back="track")
        self.assert_error(self.ask("POST", f"{self.path}/prints", json={"orders": [order]}, status=422), "no strip")

    def test_a_run_of_another_session_is_not_gone_on_with(self) -> None:
        self.add()
        (file,) = self.run_list()
        other = self.create("Other")
        self.ask("POST", f"/api/sessions/{other['id']}/prints/runs/{file['run']}", status=404)
        job = self.finished(self.ask("POST", f"{self.path}/prints/runs/{file['run']}", status=202))
        self.assertEqual(job["result"]["files"], {file["id"]: "done"})


class HandingOverApiTest(LevelApiCase):
    def test_a_session_goes_out_and_comes_in(self) -> None:
        job = self.finished(self.ask("POST", f"{self.path}/hand-over", json={"kind": "session"}, status=202))
        packed = self.client.get(f"/api/prints/{job['result']['file_name']}").content
        taken = self.client.post("/api/sessions/archive?name=song.gemischt.zip", content=packed)
        self.assertEqual(taken.status_code, 201, taken.text)
        self.assertEqual(taken.json()["document"], self.state["document"])

    def test_what_is_no_session_leaves_nothing(self) -> None:
        refused = self.client.post("/api/sessions/archive?name=song.zip", content=b"PK\x03\x04 nonsense")
        self.assertEqual(refused.status_code, 422)
        self.assertIn("song.zip", refused.json()["where"])
        self.assertEqual(list((self.data / "uploads").iterdir()), [])

    def test_the_list_shows_what_was_measured_last(self) -> None:
        (before,) = self.ask("GET", "/api/sessions")
        self.assertIsNone(before["glance"])
        self.assertEqual([strip["name"] for strip in before["strips"]], ["tone", "Mix"])
        self.run_job("measurement")
        self.ask("POST", f"{self.path}/duplicate", status=201)
        duplicate, measured = self.ask("GET", "/api/sessions")
        self.assertEqual(duplicate["glance"], measured["glance"] | {"revision": duplicate["revision"]})
        self.ask("DELETE", f"/api/sessions/{duplicate['id']}", status=204)
        self.fader(-3.0)
        (after,) = self.ask("GET", "/api/sessions")
        self.assertAlmostEqual(after["glance"]["integrated_lufs"], -8.0, delta=0.1)
        self.assertAlmostEqual(after["glance"]["duration_s"], 2.0, delta=0.01)
        self.assertEqual(after["glance"]["revision"], after["revision"] - 1)
        self.assertGreater(self.ask("GET", "/api/sessions/storage")["audio_bytes"], 500_000)
