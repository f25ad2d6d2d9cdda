"""What a server must survive: foreign addresses, large bodies, unforeseen failures, full disks, too many orders."""

import json
import logging
import sqlite3
import threading
from typing import Any
from unittest import mock

from fastapi.testclient import TestClient
from sqlalchemy import event
from sqlalchemy.exc import DatabaseError
from starlette.websockets import WebSocketDisconnect

from gemischt.api.security import SAFE_HEADERS, TOKEN_COOKIE
from gemischt.api.settings import Settings
from gemischt.operations.jobs import MOST_UNFINISHED
from gemischt.storage.sessions import SessionStore
from tests.api.test_api import ApiCase, mix_print
from tests.support.files import write_wav
from tests.support.serving import serve
from tests.support.signals import noise


class ShapesTest(ApiCase):
    def test_every_error_has_the_documented_shape(self) -> None:
        state = self.create()
        edits = f"/api/sessions/{state['id']}/edits"
        cases: list[tuple[int, str, str, dict[str, Any]]] = [
            (404, "GET", "/api/nothing", {}),
            (404, "GET", "/nothing/at/all", {}),
            (405, "PATCH", "/api/sessions", {}),
            (405, "DELETE", "/api/version", {}),
            (422, "POST", edits, {"content": b"\xff\xfe no json", "headers": {"content-type": "application/json"}}),
            (422, "POST", edits, {"content": b"{", "headers": {"content-type": "application/json"}}),
            (422, "POST", edits, {"json": []}),
            (403, "GET", "/api/sessions", {"headers": {"origin": "http://[bad"}}),
            (403, "GET", "/api/sessions", {"headers": {"origin": "null"}}),
        ]
        for status, method, path, options in cases:
            with self.subTest(path=path, method=method, **options):
                self.assert_error(self.ask(method, path, status=status, **options))
        self.assertIn("GET", self.client.patch("/api/sessions").headers["allow"])

    def test_deep_nesting_is_refused(self) -> None:
        state = self.create()
        deep = b'{"revision": 1, "action": ' + b"[" * 50_000 + b"]" * 50_000 + b"}"
        headers = {"content-type": "application/json"}
        path = f"/api/sessions/{state['id']}/edits"
        response = self.client.post(path, content=deep, headers=headers)
        self.assertIn(response.status_code, (400, 422))
        self.assert_error(response.json())

    def test_large_bodies_are_refused_while_they_come(self) -> None:
        response = self.client.post("/api/sessions", content=b" " * (17 << 20))
        self.assertEqual(response.status_code, 413)
        self.assert_error(response.json(), "16 MiB")

    def test_edits_that_reach_beyond_the_rules_are_refused(self) -> None:
        state = self.create()
        track = {"name": "T", "media": {"id": "m", "path": "/etc/passwd", "sha256": "a" * 64}}
        cases: list[tuple[dict[str, Any], str]] = [
            ({"type": "add-tracks", "tracks": [track]}, "stay in the session's folder"),
            ({"type": "set-tempo", "tempo": []}, "tempo"),
        ]
        for action, word in cases:
            with self.subTest(word):
                self.assert_error(self.edit(state, **action, status=422), word)

    def test_what_nobody_foresaw_is_logged_under_the_number_it_is_answered_with(self) -> None:
        with (
            mock.patch.object(SessionStore, "entries", side_effect=ZeroDivisionError("no such luck")),
            self.assertLogs("gemischt", logging.ERROR) as logged,
        ):
            body = self.ask("GET", "/api/sessions", status=500)
        self.assert_error(body, "something went wrong")
        entry = body["remedy"].split("entry ")[1].split()[0]
        self.assertIn(entry, logged.output[0])
        self.assertIn("no such luck", logged.output[0])

    def test_print_names_of_any_length_and_script(self) -> None:
        for name in ("x" * 200, "音" * 200, "🥁" * 100):
            with self.subTest(name[:1]):
                state = self.create(name)
                track = self.upload(state, write_wav(self.folder / "a.wav", noise(0.1)), "a.wav")
                self.edit(state, type="add-tracks", tracks=[track])
                (printed,) = self.printed(state, mix_print(to_s=0.1))
                self.assertEqual(printed["state"], "done", printed)
                self.assertEqual(self.client.get(f"/api/prints/{printed['file_name']}").status_code, 200)


class FullDiskTest(ApiCase):
    def set_pages(self, more: int) -> None:
        """Let every connection to the database from now on add so many pages at most."""
        engine = self.client.app.state.workspace._database._engine  # type: ignore[attr-defined]
        engine.dispose()

        def limit(connection: Any, _record: Any) -> None:
            pages = connection.execute("PRAGMA page_count").fetchone()[0]
            connection.execute(f"PRAGMA max_page_count = {pages + more}")

        event.listen(engine, "connect", limit)

    def test_a_full_database_refuses_in_words_loses_nothing_and_goes_on(self) -> None:
        state = self.create()
        self.set_pages(0)
        tempo = [{"at_s": float(k)} for k in range(900)]
        body = {"revision": state["revision"], "action": {"type": "set-tempo", "tempo": tempo}}
        refused = self.ask("POST", f"/api/sessions/{state['id']}/edits", json=body, status=507)
        self.assert_error(refused, "disk is full")
        response = self.client.post("/api/sessions", json={"name": "x" * 200})
        self.assertIn(response.status_code, (201, 507))
        self.assertEqual(self.ask("GET", f"/api/sessions/{state['id']}"), state)
        self.set_pages(1_000_000)
        self.edit(state, type="set-song", name="Goes on")

    def test_a_full_disk_while_a_file_comes_leaves_nothing(self) -> None:
        state = self.create()
        path = write_wav(self.folder / "a.wav", noise(0.5))
        full = OSError(28, "No space left on device")
        for where in (
            "tempfile._TemporaryFileWrapper.write",
            "gemischt.storage.audio_files._write_resampled",
            "shutil.copyfile",
        ):
            with self.subTest(where), mock.patch(where, side_effect=full, create=True):
                self.assert_error(self.upload(state, path, "a.wav", status=507), "disk is full")
                folders = ("uploads", "audio/originals", "audio/decoded")
                self.assertEqual([item for name in folders for item in (self.data / name).iterdir()], [])
        self.upload(state, path, "a.wav")

    def test_damaged_pages_are_said(self) -> None:
        state = self.create()
        damaged = sqlite3.DatabaseError("database disk image is malformed")
        damaged.sqlite_errorcode = sqlite3.SQLITE_CORRUPT
        error = DatabaseError("SELECT", {}, damaged)
        with mock.patch("sqlalchemy.orm.Session.get", side_effect=error):
            self.assert_error(self.ask("GET", f"/api/sessions/{state['id']}", status=507), "damaged", "Restore")


class ManyJobsTest(ApiCase):
    def test_more_orders_than_can_wait_are_refused_and_go_on_later(self) -> None:
        jobs = self.client.app.state.jobs  # type: ignore[attr-defined]
        release = threading.Event()
        self.addCleanup(release.set)
        state = self.create()
        track = self.upload(state, write_wav(self.folder / "a.wav", noise(0.1)), "a.wav")
        self.edit(state, type="add-tracks", tracks=[track])
        started = [jobs.start(f"wait {number}", lambda _report: release.wait(60)) for number in range(MOST_UNFINISHED)]
        order = {"orders": [mix_print(to_s=0.1)]}
        self.assert_error(self.ask("POST", f"/api/sessions/{state['id']}/prints", json=order, status=429), "wait")
        release.set()
        while any(jobs.get(job.id).state in ("waiting", "running") for job in started):
            self.finished(self.ask("GET", f"/api/jobs/{started[-1].id}"))
        self.ask("POST", f"/api/sessions/{state['id']}/prints", json=order, status=202)


class HeadersTest(ApiCase):
    def test_browsers_are_told_to_run_nothing_foreign(self) -> None:
        for path in ("/api/sessions", "/api/none", "/none"):
            headers = self.client.get(path).headers
            for name, value in SAFE_HEADERS.items():
                with self.subTest(path=path, name=name):
                    self.assertEqual(headers[name], value)


class TokenTest(ApiCase):
    def open(self) -> TestClient:
        data = self.folder / "guarded"
        settings = Settings(data_folder=data, web_folder=self.folder / "none", token="sesame")
        return serve(self, settings, follow_redirects=False)

    def test_only_who_has_the_token_is_answered(self) -> None:
        client = self.open()
        self.assertEqual(client.get("/api/sessions").status_code, 401)
        self.assertEqual(client.get("/api/sessions", params={"token": "guess"}).status_code, 401)
        self.assert_error(client.get("/api/sessions").json(), "token")
        self.assertEqual(client.get("/api/sessions", headers={"authorization": "Bearer sesame"}).status_code, 200)
        welcome = client.get("/api/sessions", params={"token": "sesame"})
        self.assertEqual((welcome.status_code, welcome.headers["location"]), (303, "/api/sessions"))
        cookie = welcome.headers["set-cookie"]
        for word in (TOKEN_COOKIE, "HttpOnly", "SameSite=strict"):
            self.assertIn(word, cookie)
        self.assertEqual(client.get("/api/sessions").status_code, 200)

    def test_the_live_connection_asks_for_it_too(self) -> None:
        client = self.open()
        own = {"host": "127.0.0.1:8765"}
        with self.assertRaises(WebSocketDisconnect), client.websocket_connect("/api/sessions/none/live", headers=own):
            self.fail("it must not be let in")
        own["cookie"] = f"{TOKEN_COOKIE}=sesame"
        with client.websocket_connect("/api/sessions/none/live", headers=own) as socket:
            self.assertEqual(json.loads(socket.receive_text())["what"], "no such session")
