"""The other end of ``TaskProcess``: does tasks in a process of its own, a few at a time.

It reads one order a line and answers in lines, all JSON: {"id", "progress"}, and at last {"id", "result"} or
{"id", "error"}; and, of itself, {"starved": whether it gets too little of the machine}. A line {"cancel": id} stops
that order. It ends when nobody writes to it any more.
"""

import contextlib
import json
import queue
import socket
import threading
import time
import traceback
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any, TextIO

from gemischt.core.dsp.jit import prepare_kernels
from gemischt.core.errors import Cancelled, GemischtError
from gemischt.operations.jobs import WORKERS
from gemischt.operations.memory import give_back
from gemischt.operations.priority import Share, step_back_whole
from gemischt.operations.tasks import TASK
from gemischt.operations.workspace import Workspace

_TELL_EVERY_S = 0.05
_LOOK_EVERY_S = 1.0
_IDLE_LOOKS = 2

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
        self._workspaces: dict[Path, Workspace] = {}
        self._opening = threading.Lock()
        self._under_way = 0
        self._counting = threading.Lock()
        self._idle_looks = _IDLE_LOOKS

    @property
    def is_working(self) -> bool:
        """Whether there is anything to do."""
        return self._under_way > 0

    def run(self) -> None:
        """Do what is ordered until there is no more."""
        with ThreadPoolExecutor(WORKERS, thread_name_prefix="task") as pool:
            while (order := self._orders.waiting.get()) is not None:
                pool.submit(self._answer, order)

    def _answer(self, order: dict[str, Any]) -> None:
        self._count(1)
        try:
            self._tell({"id": order["id"], "result": self._done(order)})
        except GemischtError as error:
            self._tell({"id": order["id"], "error": error_to_json(error)})
        except Exception as error:
            traceback.print_exc()
            unexpected = GemischtError(f"the work failed ({error!r})", remedy="Try again.")
            self._tell({"id": order["id"], "error": error_to_json(unexpected)})
        finally:
            self._count(-1)

    def rest(self) -> None:
        """Called now and then: give back the memory of what was done once there has been nothing to do for a while. It
        would hold up whoever works."""
        if not self.is_working:
            self._idle_looks += 1
            if self._idle_looks == _IDLE_LOOKS:
                give_back()

    def _count(self, by: int) -> None:
        with self._counting:
            self._under_way += by
            self._idle_looks = 0

    def _done(self, order: dict[str, Any]) -> dict[str, Any]:
        told_s = 0.0

        def progress(share: float) -> None:
            nonlocal told_s
            self._orders.check(order["id"])
            if time.monotonic() - told_s > _TELL_EVERY_S:
                told_s = time.monotonic()
                self._tell({"id": order["id"], "progress": share})

        return TASK.validate_python(order["task"]).run(self._open(Path(order["folder"])), progress)

    def _open(self, folder: Path) -> Workspace:
        """The data folder; the last few are kept open."""
        with self._opening:
            workspace = self._workspaces.pop(folder, None) or Workspace(folder)
            self._workspaces[folder] = workspace
            if len(self._workspaces) > WORKERS:
                self._workspaces.pop(next(iter(self._workspaces))).close()
            return workspace


def error_to_json(error: GemischtError) -> dict[str, str]:
    """An error as it crosses over."""
    return {"kind": type(error).__name__, "what": error.what, "where": error.where, "remedy": error.remedy}


def _look_after(worker: _Worker, tell: Tell) -> None:
    """Look for ever whether this process gets enough of the machine, and tell when that changes; let it rest."""
    share = Share()
    told = False
    while True:
        time.sleep(_LOOK_EVERY_S)
        worker.rest()
        share.look(working=worker.is_working)
        if share.is_starved != told:
            told = share.is_starved
            tell({"starved": told})


def main(control: socket.socket) -> None:
    """Do whatever comes in."""
    lock = threading.Lock()

    def tell(message: dict[str, Any]) -> None:
        with lock, contextlib.suppress(OSError):
            control.sendall(json.dumps(message).encode() + b"\n")

    orders = _Orders(control.makefile())
    worker = _Worker(orders, tell)
    # Getting ready takes little and comes before all work, so it does not wait until others leave something.
    prepare_kernels()
    step_back_whole()
    threading.Thread(target=_look_after, args=(worker, tell), name="looks after", daemon=True).start()
    worker.run()
