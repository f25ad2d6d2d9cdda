"""Processes beside the server: they answer, their complaints are logged, and none is left behind."""

import logging
import os
import signal
import subprocess
import sys
import time
import unittest
from multiprocessing import forkserver
from unittest import mock

from gemischt.operations.child_process import ChildProcess

ECHOING = "tests.support.echoing_process"
_LOG = logging.getLogger("tests.children")
LEFT_ALONE = f"""
import logging, sys, threading
from gemischt.operations import child_process
if __name__ == "__main__":
    children = [child_process.ChildProcess({ECHOING!r}, logging.getLogger()) for _ in range(2)]
    print(*(child.pid for child in children), child_process.forkserver._forkserver._forkserver_pid, flush=True)
    threading.Event().wait()
"""


def is_there(pid: int) -> bool:
    """Whether a process goes on; one that nobody has fetched yet does not."""
    try:
        with open(f"/proc/{pid}/stat") as file:
            return file.read().rpartition(")")[2].split()[0] != "Z"
    except FileNotFoundError:
        return False


class ChildProcessTest(unittest.TestCase):
    def begun(self) -> ChildProcess:
        child = ChildProcess(ECHOING, _LOG)
        self.addCleanup(child.control.close)
        self.addCleanup(child.end)
        return child

    def wait_until_gone(self, *pids: int) -> None:
        deadline_s = time.monotonic() + 30.0
        while any(map(is_there, pids)):
            self.assertLess(time.monotonic(), deadline_s)
            time.sleep(0.02)

    def test_many_answer_at_once_and_end(self) -> None:
        children = [self.begun() for _ in range(3)]
        for child in children:
            child.control.sendall(b"hello\n")
        for child in children:
            self.assertEqual(child.control.makefile().readline(), f"{child.pid} HELLO\n")
        self.assertEqual(len({child.pid for child in children}), 3)
        for child in children:
            child.end()
            self.assertFalse(is_there(child.pid))

    def test_what_it_complains_of_is_logged(self) -> None:
        child = self.begun()
        with self.assertLogs(_LOG, "ERROR") as logged:
            child.control.sendall(b"complain\n")
            self.assertIn("COMPLAIN", child.control.makefile().readline())
            child.end()
            deadline_s = time.monotonic() + 10.0
            while not logged.output:
                self.assertLess(time.monotonic(), deadline_s)
                time.sleep(0.01)
        self.assertIn("it is too loud", logged.output[0])

    def test_whoever_listens_hears_that_it_died(self) -> None:
        child = self.begun()
        child.control.sendall(b"die\n")
        self.assertEqual(child.control.recv(1), b"")
        child.end()
        self.assertFalse(is_there(child.pid))

    def test_whoever_listens_hears_that_it_could_not_be_begun(self) -> None:
        with (
            mock.patch.object(forkserver._forkserver, "ensure_running", side_effect=OSError("no more processes")),
            self.assertLogs(_LOG, "ERROR") as logged,
        ):
            child = self.begun()
            self.assertEqual(child.control.recv(1), b"")
            child.end()
        self.assertIn("could not be begun", logged.output[0])

    def test_a_killed_server_leaves_none_behind(self) -> None:
        command = [sys.executable, "-c", LEFT_ALONE]
        with subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env=os.environ) as server:
            assert server.stdout is not None
            pids = [int(pid) for pid in server.stdout.readline().split()]
            self.assertTrue(all(map(is_there, pids)))
            server.send_signal(signal.SIGKILL)
        self.wait_until_gone(*pids)


if __name__ == "__main__":
    unittest.main()
