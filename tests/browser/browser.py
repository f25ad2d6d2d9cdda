"""A real server over a data folder of its own, and Chromium in front of it."""

import atexit
import contextlib
import hashlib
import json
import os
import re
import shutil
import socket
import sqlite3
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.request
from collections.abc import Collection
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
from playwright.sync_api import Browser, BrowserContext, ConsoleMessage, Error, Locator, Page, expect, sync_playwright

from tests.browser.chromium import find_chromium
from tests.support.files import write_wav
from tests.support.signals import Signal

COMMAND = Path(sys.executable).parent / "gemischt"
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--autoplay-policy=no-user-gesture-required",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
VIEWPORT = {"width": 1280, "height": 800}
MIXED = "Low Tide (mixed)"

KEPT_DEMOS = COMMAND.parents[1] / "demos"

LONGEST_MS = 60_000
"""A busy machine measures slowly. Whoever waits longer waits in vain."""
expect.set_options(timeout=LONGEST_MS)


class Server:
    """``gemischt start --demo`` on a free port."""

    def __init__(self, folder: Path) -> None:
        self.data = folder / "data"
        kept = KEPT_DEMOS / _digest_of_sources()
        if kept.is_dir():
            shutil.copytree(kept, self.data)
        self._start(self.data)
        if not kept.is_dir():
            self._keep_demo(kept)

    def _keep_demo(self, kept: Path) -> None:
        """Making the song takes longer than copying it: the next run with the same sources has it."""
        shutil.rmtree(KEPT_DEMOS, ignore_errors=True)
        with tempfile.TemporaryDirectory(dir=KEPT_DEMOS.parent) as beside:
            self._copy_demo(Path(beside) / "demo")
            KEPT_DEMOS.mkdir(exist_ok=True)
            with contextlib.suppress(OSError):
                (Path(beside) / "demo").rename(kept)

    def _copy_demo(self, data: Path) -> None:
        shutil.copytree(self.data / "audio", data / "audio")
        with (
            contextlib.closing(sqlite3.connect(self.data / "gemischt.sqlite")) as source,
            contextlib.closing(sqlite3.connect(data / "gemischt.sqlite")) as target,
        ):
            source.backup(target)

    def restart(self, port: int) -> None:
        """Come back on the same address."""
        self.log.close()
        self._start(self.data, port)

    def _start(self, data: Path, port: int = 0) -> None:
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            probe.bind(("127.0.0.1", port))
            self.port = probe.getsockname()[1]
        self.log = (data.parent / f"server-{self.port}.log").open("w+")
        command = [str(COMMAND), "start", "--demo", "--data", str(data), "--port", str(self.port)]
        self.process = subprocess.Popen(command, stdout=self.log, stderr=subprocess.STDOUT, env=os.environ)
        deadline = time.monotonic() + 120
        while time.monotonic() < deadline:
            if self.process.poll() is not None:
                break
            try:
                self.get("/api/version")
                return
            except OSError:
                time.sleep(0.1)
        self.log.seek(0)
        raise RuntimeError(f"the server did not start:\n{self.log.read()}")

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def get(self, path: str) -> Any:
        with urllib.request.urlopen(self.address + path, timeout=20) as response:
            return json.load(response)

    def session_id(self, name: str) -> str:
        return next(item["id"] for item in self.get("/api/sessions") if item["name"] == name)

    def document(self, session_id: str) -> dict[str, Any]:
        document: dict[str, Any] = self.get(f"/api/sessions/{session_id}")["document"]
        return document

    def copy_of(self, name: str, only: Collection[str] = ()) -> str:
        """A duplicate to work on, so that no journey finds what another left; of some strips and the mix, if named."""
        copied = self._duplicate(self.session_id(name))
        if not only:
            return copied
        gone = [strip["id"] for strip in self.document(copied)["strips"] if strip["id"] not in {*only, "mix"}]
        self.edit(copied, {"type": "remove-strips", "strips": gone})
        # Nobody has edited that one.
        small = self._duplicate(copied)
        self.delete(copied)
        return small

    def _duplicate(self, session_id: str) -> str:
        duplicate_id: str = self.post(f"/api/sessions/{session_id}/duplicate", {})["id"]
        return duplicate_id

    def edit(self, session_id: str, action: dict[str, Any]) -> str:
        """An edit from elsewhere, on the newest revision; what it is called."""
        path = f"/api/sessions/{session_id}"
        kept = self.post(f"{path}/edits", {"revision": self.get(path)["revision"], "action": action})
        name: str = kept["undo"]
        return name

    def post(self, path: str, body: dict[str, Any]) -> Any:
        headers = {"Content-Type": "application/json"}
        request = urllib.request.Request(self.address + path, json.dumps(body).encode(), headers)
        with urllib.request.urlopen(request, timeout=20) as response:
            return json.load(response)

    def delete(self, session_id: str) -> None:
        """Into the bin, so that no list shows it any more."""
        request = urllib.request.Request(f"{self.address}/api/sessions/{session_id}", method="DELETE")
        urllib.request.urlopen(request, timeout=20).close()

    def stop(self) -> None:
        self.process.terminate()
        self.process.wait(timeout=20)
        self.log.close()


def _digest_of_sources() -> str:
    """Changes with anything that the demo's sessions and audio are made by."""
    digest = hashlib.sha256()
    for path in sorted((COMMAND.parents[2] / "gemischt").rglob("*.py")):
        digest.update(path.read_bytes())
    return digest.hexdigest()[:16]


class _Shared:
    """One server with the demo song and one page of one browser for all journeys of a run."""

    server: Server | None = None
    browser: Browser | None = None
    profile: BrowserContext | None = None
    page: Page | None = None


def shared_server() -> Server:
    """Started when first asked for, stopped when the process ends."""
    if _Shared.server is None:
        holder = tempfile.TemporaryDirectory(prefix="gemischt-browser-")
        atexit.register(holder.cleanup)
        _Shared.server = Server(Path(holder.name))
        atexit.register(_Shared.server.stop)
    return _Shared.server


def shared_browser() -> Browser:
    """Started when first asked for, closed when the process ends."""
    if _Shared.browser is None:
        playwright = sync_playwright().start()
        atexit.register(playwright.stop)
        _Shared.browser = playwright.chromium.launch(executable_path=find_chromium(), args=FLAGS)
        atexit.register(_Shared.browser.close)
    return _Shared.browser


def shared_profile() -> BrowserContext:
    """What the page is made of is compiled once in it, not for every test."""
    if _Shared.profile is None:
        # Waiting for menus to fade in would be most of what some journeys do.
        _Shared.profile = shared_browser().new_context(viewport=VIEWPORT, reduced_motion="reduce")  # type: ignore[arg-type]
    return _Shared.profile


def shared_page() -> Page:
    """A tab of its own would take the browser longer than most of what is done in it."""
    if _Shared.page is None:
        _Shared.page = shared_profile().new_page()
    return _Shared.page


class BrowserCase(unittest.TestCase):
    """A page per test, which remembers nothing of another's; an error in its console fails the test."""

    def make_server(self) -> Server:
        return shared_server()

    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory(prefix="gemischt-browser-")
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.server = self.make_server()
        self.problems: list[str] = []
        self.page = self.make_page()
        self.page.set_default_timeout(LONGEST_MS)
        self.page.on("pageerror", self._note_error)
        self.page.on("console", self._note)
        self.addCleanup(self.forget)

    def make_page(self) -> Page:
        return shared_page()

    def forget(self) -> None:
        """Leave what is open, with all that the browser kept for it."""
        self.page.remove_listener("pageerror", self._note_error)
        self.page.remove_listener("console", self._note)
        with contextlib.suppress(Error):
            self.page.evaluate("localStorage.clear()")
        shared_page().goto("about:blank")
        for page in self.page.context.pages:
            if page is not shared_page():
                page.close()

    def _note_error(self, error: Error) -> None:
        self.problems.append(str(error))

    def _note(self, message: ConsoleMessage) -> None:
        if message.type == "error":
            self.problems.append(message.text)

    def expect_refusal(self) -> None:
        """The browser logs a request the server refused; this once it was meant to."""
        refused = [problem for problem in self.problems if "status of 422" in problem]
        self.assertEqual(len(refused), 1)
        self.problems.remove(refused[0])

    def tearDown(self) -> None:
        self.assertEqual(self.problems, [])

    def choose(self, place: Page | Locator, menu: str, item: str) -> None:
        """Do something by a menu; its button also says what is written on it."""
        place.get_by_role("button", name=re.compile(rf"^{re.escape(menu)}(: .*)?$")).click()
        self.page.get_by_role("menuitem", name=item, exact=True).click()

    def type_into(self, field: Locator, text: str) -> None:
        """A number, as one types it over what is there."""
        field.focus()
        self.page.keyboard.type(text)
        self.page.keyboard.press("Enter")

    def open(self, name: str = MIXED, *, only: Collection[str] = ()) -> Page:
        """A copy of a demo session, or some of its strips and the mix, which is measured and drawn sooner."""
        self._go_to(self.server.copy_of(name, only))
        self.page.get_by_role("row").first.wait_for()
        return self.page

    def begin(self, name: str) -> None:
        """Open a session that holds nothing yet but a print of the mix."""
        session_id = self.server.post("/api/sessions", {"name": name})["id"]
        self.server.edit(session_id, {"type": "set-print", "print": {"id": "p1", "strips": ["mix"]}})
        self._go_to(session_id)
        self.page.get_by_text("Drop audio files anywhere").wait_for()

    def bring_in(self, **signals: Signal) -> None:
        paths = [write_wav(self.folder / f"{name}.wav", signal) for name, signal in signals.items()]
        self.page.locator("input[type=file]").set_input_files(paths)
        for name in signals:
            expect(self.page.get_by_role("row", name=name, exact=True)).to_be_visible()

    def _go_to(self, session_id: str) -> None:
        self.session_id = session_id
        self.addCleanup(self.server.delete, session_id)
        self.page.goto(f"{self.server.address}/session/{session_id}")

    def until(self, expression: str, *, argument: Any = None) -> None:
        """Wait until a JavaScript expression holds."""
        self.page.wait_for_function(expression, arg=argument)


class OwnFilesCase(BrowserCase):
    """A new session for every test, and files to bring into it."""

    def setUp(self) -> None:
        super().setUp()
        self.begin(f"Own files {self.id()[-12:]}")

    def edit(self, **action: Any) -> None:
        """An edit from elsewhere, which the page knows of."""
        name = self.server.edit(self.session_id, action)
        expect(self.page.get_by_test_id("last-edit")).to_have_attribute("title", name)

    def print_row(self, what: str) -> Locator:
        """A print of the list."""
        return self.page.locator("[data-print]").filter(has=self.page.locator("select", has_text=what)).first

    def printed(self) -> np.ndarray:
        """What the first print of the list makes, from the page, (n_samples, n_channels)."""
        page = self.page
        # A digit on a number begins to type.
        page.evaluate("document.activeElement.blur()")
        page.keyboard.press("6")
        row = page.locator("[data-print]").first
        row.wait_for()
        row.click(position={"x": 4, "y": 4})
        shown = page.get_by_role("region", name="The chosen print")
        prints = f"/api/sessions/{self.session_id}/prints"
        known = "|".join(re.escape(file["file_name"] or "") for file in self.server.get(prints)) or "-"
        row.get_by_role("button", name=re.compile("^More for print")).click()
        page.get_by_role("menuitem", name="Print this").click()
        expect(shown.locator("strong")).to_have_text(re.compile(rf"^(?!(?:{known})$)"))
        with page.expect_download() as download:
            shown.get_by_role("link", name="save").click()
        samples, _ = soundfile.read(download.value.path(), always_2d=True)
        page.keyboard.press("2")
        return np.asarray(samples)
