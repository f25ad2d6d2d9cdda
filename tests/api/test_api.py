"""The HTTP interface: every way of success and every error, by status, body and what is stored."""

import json
import time
import unittest
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from gemischt.api.app import create_app
from gemischt.api.settings import Settings
from tests.support.files import bad_files, write_wav
from tests.support.serving import serve
from tests.support.signals import noise, sine
from tests.support.workspaces import WorkspaceCase

HOST = {"host": "127.0.0.1:8765"}


class ApiCase(WorkspaceCase):
    def setUp(self) -> None:
        super().setUp()
        self.workspace.close()
        settings = Settings(data_folder=self.data, max_upload_bytes=2_000_000, web_folder=self.folder / "no-web")
        self.client = serve(self, settings)

    def ask(self, method: str, path: str, *, status: int = 200, **options: Any) -> Any:
        response = self.client.request(method, path, **options)
        self.assertEqual(response.status_code, status, response.text)
        return response.json() if response.content else None

    def create(self, name: str = "Song") -> dict[str, Any]:
        state: dict[str, Any] = self.ask("POST", "/api/sessions", json={"name": name}, status=201)
        return state

    def edit(self, state: dict[str, Any], *, status: int = 200, **action: Any) -> dict[str, Any]:
        body = {"revision": state["revision"], "action": action}
        answer: dict[str, Any] = self.ask("POST", f"/api/sessions/{state['id']}/edits", json=body, status=status)
        return answer

    def upload(self, state: dict[str, Any], path: Path, name: str, *, status: int = 201) -> dict[str, Any]:
        """The track that a file becomes, or what is said of one that is refused."""
        answer = self.ask(
            "POST",
            f"/api/sessions/{state['id']}/audio",
            params={"name": name},
            content=path.read_bytes(),
            status=status,
        )
        track: dict[str, Any] = answer[0] if status == 201 else answer
        return track

    def printed(self, state: dict[str, Any], *orders: dict[str, Any]) -> list[dict[str, Any]]:
        """Every file of a session once orders are done, the newest run first."""
        path = f"/api/sessions/{state['id']}/prints"
        job = self.finished(self.ask("POST", path, json={"orders": list(orders)}, status=202))
        self.assertEqual(job["state"], "done", job)
        files: list[dict[str, Any]] = self.ask("GET", path)
        return files

    def finished(self, job: dict[str, Any]) -> dict[str, Any]:
        # On a busy machine what works in the background hardly gets on.
        deadline = time.monotonic() + 120
        while job["state"] in ("waiting", "running"):
            self.assertLess(time.monotonic(), deadline)
            job = self.ask("GET", f"/api/jobs/{job['id']}", params={"wait_s": 1.0})
        return job

    def assert_error(self, body: dict[str, Any], *words: str) -> None:
        self.assertEqual(set(body), {"what", "where", "remedy", "faults"})
        text = json.dumps(body, ensure_ascii=False)
        for word in words:
            self.assertIn(word, text)


class ApartTest(ApiCase):
    def test_each_channel_becomes_a_track_of_its_own(self) -> None:
        state = self.create()
        path = write_wav(self.folder / "three.wav", noise(0.2, channels=3))
        self.assert_error(self.upload(state, path, "three.wav", status=422), "3 channels", "a track of its own")
        tracks = self.ask(
            "POST",
            f"/api/sessions/{state['id']}/audio",
            params={"name": "three.wav", "apart": True},
            content=path.read_bytes(),
            status=201,
        )
        state = self.edit(state, type="add-tracks", tracks=tracks, tidy=True)
        added = [strip for strip in state["document"]["strips"] if strip["kind"] == "track"]
        self.assertEqual([strip["name"] for strip in added], ["three 1", "three 2", "three 3"])
        self.assertEqual(len({track["media"]["sha256"] for track in tracks}), 3)
        self.assertEqual(list((self.data / "uploads").iterdir()), [])


class RateTest(ApiCase):
    def test_a_session_takes_the_rate_of_its_first_file_and_keeps_it(self) -> None:
        state = self.create()
        track = self.upload(state, write_wav(self.folder / "a.wav", noise(0.2), rate_hz=44100), "a.wav")
        url = f"/api/sessions/{state['id']}"
        now = self.ask("GET", url)
        self.assertEqual(now["document"]["sample_rate_hz"], 44100)
        self.assertEqual(now["undo"], "44.1 kHz, as its first file")
        now = self.edit(now, type="add-tracks", tracks=[track])
        other = self.upload(now, write_wav(self.folder / "b.wav", noise(0.2), rate_hz=96000), "b.wav")
        now = self.edit(now, type="add-tracks", tracks=[other])
        self.assertEqual(now["document"]["sample_rate_hz"], 44100)
        told = self.edit(now, type="set-sample-rate", sample_rate_hz=48000, status=422)
        self.assert_error(told, "holds audio at its own rate")

    def test_a_rate_no_session_has_changes_nothing(self) -> None:
        state = self.create()
        self.upload(state, write_wav(self.folder / "a.wav", noise(0.2), rate_hz=22050), "a.wav")
        self.assertEqual(self.ask("GET", f"/api/sessions/{state['id']}"), state)


class SessionsTest(ApiCase):
    def test_create_list_open(self) -> None:
        state = self.create("Ebb & Flut 🌊")
        self.assertEqual([item["name"] for item in self.ask("GET", "/api/sessions")], ["Ebb & Flut 🌊"])
        self.assertEqual(self.ask("GET", f"/api/sessions/{state['id']}"), state)

    def test_edit_undo_redo(self) -> None:
        state = self.create()
        state = self.edit(state, type="set-strips", changes=[{"strip": "mix", "fader_db": -4.5}])
        self.assertEqual(state["undo"], "Mix: fader -4.5 dB")
        state = self.ask("POST", f"/api/sessions/{state['id']}/undo", json={"revision": state["revision"]})
        self.assertEqual(state["document"]["strips"][0]["fader_db"], 0.0)
        state = self.ask("POST", f"/api/sessions/{state['id']}/redo", json={"revision": state["revision"]})
        self.assertEqual(state["document"]["strips"][0]["fader_db"], -4.5)
        history = self.ask("GET", f"/api/sessions/{state['id']}/history")
        self.assertEqual([(entry["name"], entry["applied"]) for entry in history], [("Mix: fader -4.5 dB", True)])

    def test_bin_and_duplicate(self) -> None:
        state = self.create()
        copy = self.ask("POST", f"/api/sessions/{state['id']}/duplicate", status=201)
        self.assertEqual(copy["document"]["name"], "Song copy")
        self.ask("DELETE", f"/api/sessions/{state['id']}", status=204)
        self.assertEqual([item["id"] for item in self.ask("GET", "/api/sessions")], [copy["id"]])
        self.assertEqual([item["id"] for item in self.ask("GET", "/api/sessions?deleted=true")], [state["id"]])
        self.ask("POST", f"/api/sessions/{state['id']}/restore")
        self.assertEqual(len(self.ask("GET", "/api/sessions")), 2)

    def test_a_stale_revision_is_a_conflict(self) -> None:
        state = self.create()
        self.edit(state, type="set-strips", changes=[{"strip": "mix", "mute": True}])
        body = self.edit(state, type="set-strips", changes=[{"strip": "mix", "mute": False}], status=409)
        self.assert_error(body, "revision 2", "Song")
        self.assertTrue(self.ask("GET", f"/api/sessions/{state['id']}")["document"]["strips"][0]["mute"])

    def test_errors_say_what_where_and_what_to_do(self) -> None:
        state = self.create()
        bus = self.edit(state, type="add-strip", name="Toms")
        cases: list[tuple[dict[str, Any], str]] = [
            ({"type": "set-output", "strips": ["toms"], "output": "toms"}, "Toms -> Toms"),
            ({"type": "set-strips", "changes": [{"strip": "gone", "mute": True}]}, "no strip"),
            ({"type": "set-strips", "changes": [{"strip": "toms", "fader_db": 99}]}, "fader_db"),
            ({"type": "unknown"}, "type"),
        ]
        for action, word in cases:
            with self.subTest(word):
                self.assert_error(self.edit(bus, **action, status=422), word)
        self.assert_error(self.ask("GET", "/api/sessions/none", status=404), "no such session")
        self.assert_error(self.ask("POST", "/api/sessions", json={"name": ""}, status=422), "name")
        self.assert_error(
            self.ask("POST", f"/api/sessions/{state['id']}/undo", json={"revision": 1}, status=409), "revision"
        )
        self.assertEqual(self.ask("GET", f"/api/sessions/{state['id']}")["revision"], bus["revision"])

    def test_processors_come_with_their_tables(self) -> None:
        kinds = {item["kind"]: item for item in self.ask("GET", "/api/processors")}
        threshold = kinds["compressor"]["parameters"]["properties"]["threshold_db"]
        self.assertEqual((threshold["minimum"], threshold["maximum"], threshold["unit"]), (-80.0, 0.0, "dB"))

    def test_the_catalogue_is_what_the_page_was_built_with(self) -> None:
        built = Path(__file__).parents[2] / "web" / "src" / "api" / "catalogue.gen.json"
        self.assertEqual(self.ask("GET", "/api/catalogue"), json.loads(built.read_text()))

    def test_the_published_schema_is_the_apis(self) -> None:
        published = json.loads((Path(__file__).parents[2] / "docs" / "openapi.json").read_text())
        self.assertEqual(published, json.loads(json.dumps(self.client.app.openapi())))  # type: ignore[attr-defined]


class UploadTest(ApiCase):
    def test_any_name_becomes_a_safe_track(self) -> None:
        state = self.create()
        path = write_wav(self.folder / "a.wav", noise(0.1))
        for name, shown in (
            ("../../etc/passwd.wav", "passwd"),
            ("C:\\audio\\Kick 🥁.wav", "Kick 🥁"),
            ("a\x00b\n.wav", "ab"),
            ("x" * 400 + ".wav", "x" * 200),
        ):
            with self.subTest(name):
                track = self.upload(state, path, name)
                self.assertEqual(track["name"], shown)
                state = self.edit(state, type="add-tracks", tracks=[track])
        self.assertEqual(len(state["document"]["strips"]), 5)
        self.assertEqual(len(state["document"]["media"]), 1)
        self.assertEqual([path.name for path in (self.data / "uploads").iterdir()], [])

    def test_bad_files_are_refused_by_name(self) -> None:
        state = self.create()
        for name, (path, reason) in bad_files(self.folder).items():
            if path.stat().st_size > 2_000_000:
                continue
            with self.subTest(name):
                body = self.upload(state, path, name, status=422)
                self.assert_error(body, name, reason)
                self.assertTrue(body["remedy"])
        self.assertEqual(list((self.data / "uploads").iterdir()), [])

    def test_too_large_a_file_is_refused_while_it_comes(self) -> None:
        path = self.folder / "large.wav"
        path.write_bytes(b"\0" * 2_100_000)
        self.assert_error(self.upload(self.create(), path, "large.wav", status=422), "larger than")

    def test_a_track_of_audio_that_never_came_is_refused(self) -> None:
        state = self.create()
        track = {"name": "Ghost", "media": {"id": "ghost", "path": "audio/ghost.wav", "sha256": "a" * 64}}
        self.assert_error(self.edit(state, type="add-tracks", tracks=[track], status=404), "no such audio file")
        self.assertEqual(self.ask("GET", f"/api/sessions/{state['id']}"), state)

    def test_an_unknown_session_takes_nothing(self) -> None:
        path = write_wav(self.folder / "a.wav", noise(0.1))
        self.upload({"id": "none"}, path, "a.wav", status=404)


def mix_print(*, to_s: float | None = None, **fields: Any) -> dict[str, Any]:
    """The mix as an order, cut at a time if that is given."""
    cut = {} if to_s is None else {"stretch": {"kind": "from-to", "to_s": to_s}, "ends": "cut"}
    return {"id": "mix", "strips": ["mix"], "format": "wav-24", **cut, **fields}


class JobsTest(ApiCase):
    def song(self) -> dict[str, Any]:
        state = self.create("A/B mix")
        track = self.upload(state, write_wav(self.folder / "a.wav", sine(200, -12, 1.0)), "a.wav")
        return self.edit(state, type="add-tracks", tracks=[track])

    def test_print_and_fetch(self) -> None:
        state = self.song()
        (printed,) = self.printed(state, mix_print(to_s=1.0))
        self.assertEqual(printed["state"], "done")
        self.assertAlmostEqual(printed["result"]["summary"]["sample_peak_dbfs"], -12.0, places=2)
        response = self.client.get(f"/api/prints/{printed['file_name']}")
        (self.folder / "fetched.wav").write_bytes(response.content)
        read, _ = soundfile.read(self.folder / "fetched.wav")
        self.assertAlmostEqual(20 * np.log10(np.abs(read).max()), -12.0, places=2)
        self.assertNotIn("/", printed["file_name"])

    def test_a_second_print_does_not_replace_the_first(self) -> None:
        state = self.song()
        self.printed(state, mix_print())
        self.assertEqual(len({file["file_name"] for file in self.printed(state, mix_print())}), 2)

    def test_measurement(self) -> None:
        state = self.song()
        job = self.finished(self.ask("POST", f"/api/sessions/{state['id']}/measurement", status=202))
        self.assertEqual(job["result"]["revision"], state["revision"])
        self.assertAlmostEqual(max(job["result"]["peaks"]), 0.2512, places=3)

    def test_cancel(self) -> None:
        state = self.song()
        orders = {"orders": [mix_print(to_s=3000.0)]}
        job = self.ask("POST", f"/api/sessions/{state['id']}/prints", json=orders, status=202)
        self.ask("DELETE", f"/api/jobs/{job['id']}")
        self.assertEqual(self.finished(job)["state"], "cancelled")
        self.assertEqual(list((self.data / "prints").iterdir()), [])

    def test_errors(self) -> None:
        empty = self.create()
        (printed,) = self.printed(empty, mix_print())
        self.assertEqual(printed["state"], "failed")
        self.assertIn("nothing to print", printed["error"]["what"])
        self.assert_error(self.ask("GET", "/api/jobs/none", status=404), "no such job")
        self.assert_error(self.ask("GET", "/api/prints/none.wav", status=404), "no such print")
        self.ask("GET", "/api/prints/..%2Fgemischt.sqlite", status=404)
        self.ask(
            "POST", f"/api/sessions/{empty['id']}/prints", json={"orders": [mix_print(format="wav-8")]}, status=422
        )


class OwnPagesTest(ApiCase):
    def test_foreign_hosts_and_origins_are_refused(self) -> None:
        for headers in ({"host": "evil.example"}, {"origin": "http://evil.example"}, {"origin": "http://127.0.0.1:1"}):
            with self.subTest(headers=headers):
                self.assert_error(self.ask("GET", "/api/sessions", headers=headers, status=403), "own pages")

    def test_own_names_are_answered(self) -> None:
        for host in ("127.0.0.1:8765", "localhost:8765", "[::1]:8765"):
            with self.subTest(host):
                self.ask("GET", "/api/sessions", headers={"host": host, "origin": f"http://{host}"})


class PageTest(unittest.TestCase):
    def test_the_page_is_served_for_every_session_address(self) -> None:
        settings = Settings(data_folder=Path("unused"))
        if not settings.web_folder.is_dir():
            self.fail("the web application is not built; run `make setup`")
        app = create_app(settings)
        paths = {getattr(route, "path", "") for route in app.routes}
        self.assertLessEqual({"/", "/session/{session_id}"}, paths)
