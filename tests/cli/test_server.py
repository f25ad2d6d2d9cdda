"""What `gemischt start` opens and says, and what it refuses."""

import contextlib
import io
import logging
import os
import re
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

from gemischt.api.settings import Settings
from gemischt.cli import server
from gemischt.cli.server import bracketed, is_loopback
from gemischt.operations.workspace import Workspace
from tests.support.workspaces import WorkspaceCase


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
        return port


class AddressesTest(WorkspaceCase):
    def said(self, settings: Settings, host: str) -> str:
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            server._say_where(settings, host, 8765)
        return out.getvalue()

    def test_this_machine_alone_needs_no_token(self) -> None:
        for host, address in (("127.0.0.1", "http://127.0.0.1:8765"), ("::1", "http://[::1]:8765")):
            with self.subTest(host):
                settings = server._settings(self.folder, host)
                self.assertIsNone(settings.token)
                self.assertIn(bracketed(host), settings.allowed_hosts)
                self.assertIn(f"listens on {address}\n", self.said(settings, host))

    def test_other_machines_need_one_and_are_told_what_is_open(self) -> None:
        for host in ("0.0.0.0", "::", "192.168.7.7", "studio.local"):
            with self.subTest(host):
                settings = server._settings(self.folder, host)
                assert settings.token is not None
                self.assertGreater(len(settings.token), 20)
                said = self.said(settings, host)
                self.assertIn("can hear and change every session", said)
                for address in re.findall(r"http://(\S+):8765/\?token=(\S+)", said):
                    self.assertIn(address[0], settings.allowed_hosts)
                    self.assertEqual(address[1], settings.token)
                self.assertNotIn("//0.0.0.0", said)
        self.assertNotEqual(server._settings(self.folder, "::").token, server._settings(self.folder, "::").token)

    def test_what_is_this_machine_alone(self) -> None:
        for host, alone in (("127.0.0.1", True), ("127.8.8.8", True), ("::1", True), ("localhost", True)):
            self.assertEqual(is_loopback(host), alone)
        for host in ("0.0.0.0", "::", "10.0.0.1", "example.org"):
            self.assertFalse(is_loopback(host))


class RefusedStartTest(WorkspaceCase):
    def started(self, *more: str) -> subprocess.CompletedProcess[str]:
        command = [sys.executable, "-m", "gemischt.cli.main", "start", "--data", str(self.data), *more]
        return subprocess.run(command, capture_output=True, text=True, check=False, timeout=60)

    def assert_said(self, done: subprocess.CompletedProcess[str], *words: str) -> None:
        self.assertEqual(done.returncode, 1)
        self.assertNotIn("Traceback", done.stderr)
        self.assertNotIn("listens", done.stdout)
        for word in words:
            self.assertIn(word, done.stderr)

    def test_a_folder_in_use_or_damaged_is_said_before_anybody_is_told_to_come(self) -> None:
        self.workspace.begin_serving()
        port = str(free_port())
        self.assert_said(self.started("--port", port), "in use by another Gemischt server")
        self.workspace.close()
        (self.data / "gemischt.sqlite").write_bytes(b"this is no database" * 1000)
        for left in self.data.glob("gemischt.sqlite-*"):
            left.unlink()
        self.assert_said(self.started("--port", port), "is no database")


class LogTest(WorkspaceCase):
    def test_a_server_keeps_a_log_and_a_killed_one_leaves_the_folder_free(self) -> None:
        self.workspace.close()
        port = free_port()
        command = [sys.executable, "-m", "gemischt.cli.main", "start", "--data", str(self.data), "--port", str(port)]
        with subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env=os.environ) as process:
            assert process.stdout is not None
            self.assertIn(f"http://127.0.0.1:{port}", process.stdout.readline())
            self.wait_for(f"http://127.0.0.1:{port}/api/version")
            process.send_signal(signal.SIGKILL)
        self.assertTrue((self.data / server.LOG_NAME).is_file())
        with contextlib.closing(Workspace(self.data)) as workspace:
            workspace.begin_serving()

    def wait_for(self, address: str) -> None:
        deadline = time.monotonic() + 30
        while True:
            try:
                with urllib.request.urlopen(address, timeout=5):
                    return
            except OSError:
                self.assertLess(time.monotonic(), deadline)

    def test_the_log_turns_over(self) -> None:
        before = logging.getLogger().handlers[:]
        try:
            logging.getLogger().handlers.clear()
            with contextlib.redirect_stderr(io.StringIO()):
                server._keep_log(self.folder)
            for number in range(300):
                logging.getLogger("somebody").error("%s %s", number, "x" * 10_000)
        finally:
            for handler in logging.getLogger().handlers:
                handler.close()
            logging.getLogger().handlers[:] = before
        sizes = [path.stat().st_size for path in Path(self.folder).glob(server.LOG_NAME + "*")]
        self.assertGreater(len(sizes), 2)
        self.assertLess(max(sizes), 1.1 * 2**20)
