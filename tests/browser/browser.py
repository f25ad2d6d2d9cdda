"""A real server over a data folder of its own, and Chromium in front of it."""

import json
import os
import shutil
import socket
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.request
from pathlib import Path
from typing import Any

from playwright.sync_api import Browser, ConsoleMessage, Page, Playwright, sync_playwright

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


def find_chromium() -> str | None:
    """Chromium's path, or None."""
    return shutil.which("chromium") or shutil.which("chromium-browser")


class Server:
    """``gemischt start --demo`` on a free port; the demo song is made once and copied for each server."""

    _demo: Path | None = None

    def __init__(self, folder: Path) -> None:
        self.data = folder
        if Server._demo is None:
            Server._demo = Path(tempfile.mkdtemp(prefix="gemischt-demo-"))
            self._start(Server._demo)
            self.stop()
        shutil.copytree(Server._demo, self.data, dirs_exist_ok=True)
        self._start(self.data)

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

    def document(self, name: str) -> dict[str, Any]:
        document: dict[str, Any] = self.get(f"/api/sessions/{self.session_id(name)}")["document"]
        return document

    def stop(self) -> None:
        self.process.terminate()
        self.process.wait(timeout=20)
        self.log.close()


class BrowserCase(unittest.TestCase):
    """One server and one browser per class, one page per test; an error in the page's console fails the test."""

    playwright: Playwright
    browser: Browser
    server: Server

    @classmethod
    def setUpClass(cls) -> None:
        holder = tempfile.TemporaryDirectory(prefix="gemischt-browser-")
        cls.addClassCleanup(holder.cleanup)
        cls.folder = Path(holder.name)
        cls.server = Server(cls.folder / "data")
        cls.addClassCleanup(cls.server.stop)
        cls.playwright = sync_playwright().start()
        cls.addClassCleanup(cls.playwright.stop)
        cls.browser = cls.playwright.chromium.launch(executable_path=find_chromium(), args=FLAGS)
        cls.addClassCleanup(cls.browser.close)

    def setUp(self) -> None:
        self.problems: list[str] = []
        self.page: Page = self.browser.new_page(viewport=VIEWPORT)  # type: ignore[arg-type]
        self.page.set_default_timeout(15000)
        self.page.on("pageerror", lambda error: self.problems.append(str(error)))
        self.page.on("console", self._note)
        self.addCleanup(self.page.close)

    def _note(self, message: ConsoleMessage) -> None:
        if message.type == "error":
            self.problems.append(message.text)

    def tearDown(self) -> None:
        self.assertEqual(self.problems, [])

    def open(self, name: str = MIXED) -> Page:
        self.page.goto(f"{self.server.address}/session/{self.server.session_id(name)}")
        self.page.get_by_role("row").first.wait_for()
        return self.page

    def until(self, expression: str, *, argument: Any = None) -> None:
        """Wait until a JavaScript expression holds."""
        self.page.wait_for_function(expression, arg=argument)
