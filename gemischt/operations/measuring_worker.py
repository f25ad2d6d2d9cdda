"""The other end of ``MeasuringProcess``: measures sessions in a process of its own, one after the other.

It reads one order a line and answers in lines, all JSON: {"id", "progress"}, and at last {"id", "result"} or
{"id", "error"}. A line {"cancel": id} stops that order. It ends when nobody writes to it any more.
"""

import contextlib
import json
import os
import queue
import signal
import sys
import threading
import time
import traceback
from collections.abc import Callable
from pathlib import Path
from typing import Any, TextIO

from gemischt.core.dsp.jit import prepare_kernels
from gemischt.core.errors import Cancelled, GemischtError
from gemischt.core.session.validation import parse_session
from gemischt.operations.priority import run_when_idle
from gemischt.operations.session_measuring import (
    examine_session,
    finding_to_json,
    measure_session,
    measurement_to_json,
)
from gemischt.operations.workspace import Workspace

_TELL_EVERY_S = 0.05

Tell = Callable[[dict[str, Any]], None]


class _Orders:
    """What is still to be done, filled by a thread that reads."""

    def __init__(self, source: TextIO) -> None:
        self._source = source
        self._cancelled: set[int] = set()
        self._closed = False
        self.waiting: queue.SimpleQueue[dict[str, Any] | None] = queue.SimpleQueue()
        threading.Thread(target=self._read, daemon=True).start()

    def check(self, order_id: int) -> None:
        """Raise Cancelled if the order is to stop, or nobody is there any more."""
        if self._closed or order_id in self._cancelled:
            raise Cancelled("stopped on request")

    def _read(self) -> None:
        for line in self._source:
            message = json.loads(line)
            if "cancel" in message:
                self._cancelled.add(message["cancel"])
            else:
                self.waiting.put(message)
        self._closed = True
        self.waiting.put(None)


class _Worker:
    def __init__(self, orders: _Orders, tell: Tell) -> None:
        self._orders = orders
        self._tell = tell
        self._workspace: Workspace | None = None

    def run(self) -> None:
        """Do what is ordered until there is no more."""
        while (order := self._orders.waiting.get()) is not None:
            try:
                self._tell({"id": order["id"], "result": self._measure(order)})
            except GemischtError as error:
                self._tell({"id": order["id"], "error": error_to_json(error)})
            except Exception as error:
                traceback.print_exc()
                unexpected = GemischtError(f"measuring failed ({error!r})", remedy="Try again.")
                self._tell({"id": order["id"], "error": error_to_json(unexpected)})

    def _measure(self, order: dict[str, Any]) -> dict[str, Any]:
        told_s = 0.0

        def progress(share: float) -> None:
            nonlocal told_s
            self._orders.check(order["id"])
            if time.monotonic() - told_s > _TELL_EVERY_S:
                told_s = time.monotonic()
                self._tell({"id": order["id"], "progress": share})

        workspace = self._open(Path(order["folder"]))
        session = parse_session(order["session"])
        measurement = measure_session(workspace, session, progress)
        found = examine_session(workspace, session, measurement)
        return measurement_to_json(session, measurement) | {"findings": [finding_to_json(item) for item in found]}

    def _open(self, folder: Path) -> Workspace:
        if self._workspace is None or self._workspace.folder != folder:
            if self._workspace is not None:
                self._workspace.close()
            self._workspace = Workspace(folder)
        return self._workspace


def error_to_json(error: GemischtError) -> dict[str, str]:
    """An error as it crosses over."""
    return {"kind": type(error).__name__, "what": error.what, "where": error.where, "remedy": error.remedy}


def main() -> None:
    """Measure whatever comes in."""
    run_when_idle()
    # What interrupts the program in a terminal is not meant for us: we end when it does.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    # Nothing else may write where the answers go.
    answers = os.fdopen(os.dup(sys.stdout.fileno()), "w")
    sys.stdout = sys.stderr
    lock = threading.Lock()

    def tell(message: dict[str, Any]) -> None:
        with lock, contextlib.suppress(BrokenPipeError):
            answers.write(json.dumps(message) + "\n")
            answers.flush()

    orders = _Orders(sys.stdin)
    prepare_kernels()
    _Worker(orders, tell).run()


if __name__ == "__main__":
    main()
