"""Processes of ours that work beside the server: copies of one that has loaded what all of them need, so that they are
there at once, and what is alike lies in memory once."""

import contextlib
import json
import logging
import os
import signal
import socket
import threading
from collections.abc import Iterator
from importlib import import_module
from multiprocessing import forkserver, get_context
from typing import Any

_CONTEXT = get_context("forkserver")
_LONGEST_END_S = 20.0


def get_ready(module: str) -> None:
    """Let processes from now on be copies of one that has imported a module, which is begun unless there is one."""
    _CONTEXT.set_forkserver_preload([module])
    forkserver.ensure_running()


class ChildProcess:
    """A process that runs the ``main`` of a module with the other end of ``control``, and ends when that is closed."""

    def __init__(self, module: str, log: logging.Logger) -> None:
        """What it complains of is logged."""
        self.control, theirs = socket.socketpair()
        complaints, their_complaints = socket.socketpair()
        self._log = log
        self._process = _CONTEXT.Process(target=_run, args=(module, theirs, their_complaints), daemon=True)
        self._beginning = threading.Thread(target=self._begin, args=(theirs, their_complaints), daemon=True)
        self._beginning.start()
        threading.Thread(target=_keep, args=(complaints, log), daemon=True).start()

    @property
    def pid(self) -> int:
        """Its number, once it has begun."""
        self._beginning.join()
        assert self._process.pid is not None
        return self._process.pid

    def messages(self) -> Iterator[dict[str, Any]]:
        """What it says, a line of JSON each, until it has ended."""
        with self.control, self.control.makefile() as lines, contextlib.suppress(OSError):
            for line in lines:
                yield json.loads(line)

    def end(self) -> None:
        """Let it end, and wait until it has; kill it if it does not."""
        with contextlib.suppress(OSError):
            self.control.shutdown(socket.SHUT_WR)
        self._beginning.join(_LONGEST_END_S)
        if self._process.pid is None:
            return
        self._process.join(_LONGEST_END_S)
        if self._process.is_alive():
            # Nothing of what it does outlives us: what it keeps, it keeps piece by piece.
            self._process.kill()
            self._process.join()

    def _begin(self, *theirs: socket.socket) -> None:
        """The first one has to wait for what it is a copy of."""
        try:
            self._process.start()
        except (OSError, EOFError) as error:
            # Whoever listens to it hears that it has ended.
            self._log.error("a process could not be begun (%r)", error)
        finally:
            for end in theirs:
                end.close()


def _keep(complaints: socket.socket, log: logging.Logger) -> None:
    with complaints, complaints.makefile(encoding="utf-8", errors="replace") as lines:
        for line in lines:
            log.error("%s", line.rstrip())


def _run(module: str, control: socket.socket, complaints: socket.socket) -> None:
    # What interrupts the program in a terminal is not meant for us: we end when it does.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    with complaints:
        os.dup2(complaints.fileno(), 2)
    import_module(module).main(control)
