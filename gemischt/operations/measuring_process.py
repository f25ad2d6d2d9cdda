"""Measuring in a process of its own, so that playback shares neither the interpreter nor its priority with it."""

import atexit
import contextlib
import json
import subprocess
import sys
import threading
from pathlib import Path
from typing import Any

from gemischt.core import errors
from gemischt.core.session.document import Session
from gemischt.core.session.validation import dump_session
from gemischt.storage.audio_files import Progress, no_progress


class MeasuringProcess:
    """Starts the process when it is first needed, and again should it be gone. Any thread may call."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[str] | None = None
        self._orders = 0
        # One at a time: whoever waits finds what the others rendered.
        self._busy = threading.Lock()

    def start(self) -> None:
        """Have the process ready before it is needed."""
        with self._busy:
            self._running()

    def measure(self, folder: Path, session: Session, progress: Progress = no_progress) -> dict[str, Any]:
        """The gain ladder, the mix's curve and the findings of a session of a data folder, as JSON.

        Raises:
            GemischtError: what went wrong over there, or what ``progress`` raised.
        """
        with self._busy:
            process = self._running()
            self._orders += 1
            order = {"id": self._orders, "folder": str(folder), "session": dump_session(session)}
            try:
                self._send(process, order)
                return self._answer(process, self._orders, progress)
            except (BrokenPipeError, EOFError) as error:
                self._let_go()
                raise errors.GemischtError("measuring stopped unexpectedly", remedy="Try again.") from error

    def close(self) -> None:
        """Let the process end."""
        with self._busy:
            self._let_go()

    def _let_go(self) -> None:
        process, self._process = self._process, None
        if process is not None and process.stdin is not None and process.stdout is not None:
            with contextlib.suppress(BrokenPipeError):
                process.stdin.close()
            process.stdout.close()
            process.wait(timeout=20)

    def _running(self) -> subprocess.Popen[str]:
        if self._process is None or self._process.poll() is not None:
            self._let_go()
            command = [sys.executable, "-m", "gemischt.operations.measuring_worker"]
            self._process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
        return self._process

    def _send(self, process: subprocess.Popen[str], message: dict[str, Any]) -> None:
        assert process.stdin is not None
        process.stdin.write(json.dumps(message) + "\n")
        process.stdin.flush()

    def _answer(self, process: subprocess.Popen[str], order_id: int, progress: Progress) -> dict[str, Any]:
        assert process.stdout is not None
        stopped: errors.GemischtError | None = None
        for line in process.stdout:
            message = json.loads(line)
            if message["id"] != order_id:
                continue
            if "result" in message and stopped is None:
                result: dict[str, Any] = message["result"]
                return result
            if "progress" not in message:
                raise stopped or _error_from(message["error"])
            try:
                progress(message["progress"])
            except errors.GemischtError as error:
                if stopped is None:
                    stopped = error
                    self._send(process, {"cancel": order_id})
        raise EOFError


def _error_from(written: dict[str, str]) -> errors.GemischtError:
    kind = getattr(errors, written["kind"], errors.GemischtError)
    if kind is errors.InvalidSession:
        kind = errors.GemischtError
    made: errors.GemischtError = kind(written["what"], where=written["where"], remedy=written["remedy"])
    return made


measuring_process = MeasuringProcess()
"""One is enough for every data folder that is open."""
atexit.register(measuring_process.close)
