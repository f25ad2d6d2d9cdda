"""Work that follows other work one step behind, on whatever thread is free."""

import contextlib
from collections.abc import Callable
from concurrent.futures import Executor, Future
from typing import ParamSpec

P = ParamSpec("P")


class BackgroundStep:
    """Runs steps in order, at most one at a time, while the caller goes on; leaving its context waits for the last.

    A step that no thread of the pool has begun when the next one comes is done by the caller itself: a pool whose
    threads are all busy waiting for their own steps cannot stand still.
    """

    def __init__(self, pool: Executor | None) -> None:
        self._pool = pool
        self._last: Future[None] | None = None
        self._redo: Callable[[], None] | None = None

    def then(self, step: Callable[P, None], *args: P.args, **kwargs: P.kwargs) -> None:
        """Do a step once those before are done; raises what the one before raised."""

        def work() -> None:
            step(*args, **kwargs)

        self.finish()
        if self._pool is None:
            work()
        else:
            self._redo = work
            self._last = self._pool.submit(work)

    def __enter__(self) -> "BackgroundStep":
        return self

    def __exit__(self, kind: type[BaseException] | None, *_: object) -> None:
        if kind is None:
            self.finish()
        else:
            with contextlib.suppress(Exception):
                self.finish()

    def finish(self) -> None:
        """Wait until every step is done; raises what the last one raised."""
        if self._last is None or self._redo is None:
            return
        last, redo = self._last, self._redo
        self._last = self._redo = None
        if last.cancel():
            redo()
        else:
            last.result()
