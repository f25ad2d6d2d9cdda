"""Tasks in a process of their own, so that playback shares neither the interpreter nor its priority with them."""

import atexit
import contextlib
import json
import logging
import queue
import threading
from typing import Any, TypeAlias

from gemischt.core import errors
from gemischt.operations.child_process import ChildProcess
from gemischt.operations.tasks import Task
from gemischt.operations.workspace import Workspace
from gemischt.storage.audio_files import Progress, no_progress

_log = logging.getLogger(__name__)
Answers: TypeAlias = "queue.SimpleQueue[dict[str, Any] | None]"
"""What came back for one task; None when no more will."""


class _Running:
    """The process, and who waits for its answers."""

    def __init__(self) -> None:
        self.process = ChildProcess("gemischt.operations.task_worker", _log)
        self._waiting: dict[int, Answers] = {}
        self._numbers = 0
        self._lock = threading.Lock()
        self.ended = False
        self.starved = False
        threading.Thread(target=self._read, name="tasks", daemon=True).start()

    def ask(self, order: dict[str, Any]) -> tuple[int, Answers]:
        """Send an order; its number, and where the answers to it will be."""
        answers: Answers = queue.SimpleQueue()
        with self._lock:
            self._numbers += 1
            number = self._numbers
            self._waiting[number] = answers
            if self.ended:
                answers.put(None)
        self.send(order | {"id": number})
        return number, answers

    def send(self, message: dict[str, Any]) -> None:
        """Write a message; to a process that has ended, none."""
        with self._lock, contextlib.suppress(OSError):
            self.process.control.sendall(json.dumps(message).encode() + b"\n")

    def _read(self) -> None:
        """Hand out what comes back until the process ends."""
        for message in self.process.messages():
            if "starved" in message:
                self.starved = message["starved"]
                continue
            with self._lock:
                last = "progress" not in message
                answers = self._waiting.pop(message["id"]) if last else self._waiting[message["id"]]
            answers.put(message)
        with self._lock:
            self.ended = True
            for answers in self._waiting.values():
                answers.put(None)
        self.process.end()


class TaskProcess:
    """Starts the process when it is first needed, and again should it be gone. Any thread may call."""

    def __init__(self) -> None:
        self._running: _Running | None = None
        self._lock = threading.Lock()

    def start(self) -> _Running:
        """Have the process ready before it is needed."""
        with self._lock:
            if self._running is None or self._running.ended:
                self._running = _Running()
            return self._running

    @property
    def is_starved(self) -> bool:
        """Whether other programs leave the process little of the machine."""
        return self._running is not None and self._running.starved

    def run(self, task: Task, workspace: Workspace, progress: Progress = no_progress) -> dict[str, Any]:
        """What a task gives over there.

        Raises:
            GemischtError: what went wrong, or what ``progress`` raised.
        """
        running = self.start()
        order = {"folder": str(workspace.folder), "task": task.model_dump(mode="json", by_alias=True)}
        number, answers = running.ask(order)
        given_up: errors.GemischtError | None = None
        while (message := answers.get()) is not None:
            if "result" in message and given_up is None:
                result: dict[str, Any] = message["result"]
                return result
            if "progress" not in message:
                raise given_up or _error_from(message["error"])
            try:
                progress(message["progress"])
            except errors.GemischtError as error:
                if given_up is None:
                    given_up = error
                    running.send({"cancel": number})
        raise errors.GemischtError("the work stopped unexpectedly", remedy="Try again.")

    def close(self) -> None:
        """Let the process end."""
        with self._lock:
            running, self._running = self._running, None
        if running is not None:
            running.process.end()


def _error_from(written: dict[str, str]) -> errors.GemischtError:
    kind = getattr(errors, written["kind"], errors.GemischtError)
    if kind is errors.InvalidSession:
        kind = errors.GemischtError
    made: errors.GemischtError = kind(written["what"], where=written["where"], remedy=written["remedy"])
    return made


task_process = TaskProcess()
"""One is enough for every data folder that is open."""
atexit.register(task_process.close)
run_aside = task_process.run
