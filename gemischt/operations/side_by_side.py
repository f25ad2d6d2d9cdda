"""Strips measured side by side, each at the heels of what it hears."""

import contextlib
import threading
from collections.abc import Callable, Mapping
from concurrent.futures import Executor, Future
from queue import SimpleQueue
from typing import Any, TypeAlias, TypeVar

from gemischt.core.analysis.measurement.team import Growing, Step, Team
from gemischt.core.audio import MediaSamples

T = TypeVar("T")
Events: TypeAlias = "SimpleQueue[tuple[str, Future[Any] | None]]"
"""Strips that others may follow from now on; with a future, those that are done."""


class SourceFailed(Exception):
    """What a strip hears could not be rendered; the reason was raised where that was tried."""


class GrowingRender(Growing):
    """Any thread may call."""

    def __init__(self, samples: MediaSamples) -> None:
        super().__init__(samples)
        self._reached = 0
        self._failed = False
        self._changed = threading.Condition()

    def advance(self, n_samples: int) -> None:
        with self._changed:
            self._reached += n_samples
            self._changed.notify_all()

    def fail(self) -> None:
        with self._changed:
            self._failed = True
            self._changed.notify_all()

    def wait_for(self, n_samples: int) -> None:
        """Wait until the first ``n_samples`` are there, or all there are.

        Raises:
            SourceFailed: they will not come.
        """
        wanted = min(n_samples, len(self.samples))
        with self._changed:
            self._changed.wait_for(lambda: self._failed or self._reached >= wanted)
            if self._reached < wanted:
                raise SourceFailed


class BackgroundStep:
    """Runs steps in order, at most one at a time, while the caller goes on; leaving its context waits for the last.

    A step that no thread of the pool has begun when the next one comes is done by the caller itself: a pool whose
    threads are all busy waiting for their own steps cannot stand still.
    """

    def __init__(self, pool: Executor) -> None:
        self._pool = pool
        self._last: Future[None] | None = None
        self._redo: Callable[[], None] | None = None

    def then(self, step: Step) -> None:
        """Do a step once those before are done; raises what the one before raised."""
        self.finish()
        self._redo = step
        self._last = self._pool.submit(step)

    def __enter__(self) -> Callable[[Step], None]:
        return self.then

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


class SideBySide(Team):
    """On the threads of a pool: strips, and behind each of them its meters."""

    def __init__(self, pool: Executor) -> None:
        self._pool = pool
        self._events: Events = SimpleQueue()

    def measure(self, sources: Mapping[str, set[str]], work: Callable[[str], T]) -> dict[str, T]:
        return follow(sources, work, self._pool, self._events)

    def begun(self, strip_id: str) -> None:
        self._events.put((strip_id, None))

    def growing(self, samples: MediaSamples) -> Growing:
        return GrowingRender(samples)

    def behind(self) -> BackgroundStep:
        return BackgroundStep(self._pool)


def follow(sources: Mapping[str, set[str]], work: Callable[[str], T], pool: Executor, events: Events) -> dict[str, T]:
    """What the work gives for each strip, each begun when all its sources have begun or are done.

    Args:
        sources: what each strip waits for.
        work: puts its strip into ``events`` as soon as others can follow it.

    Raises:
        Whatever the first piece of work that failed has raised; those that followed it fail with it.
    """
    waiting = dict(sources)
    begun: set[str] = set()
    found: dict[str, T] = {}
    failure: BaseException | None = None
    running = 0
    while waiting or running:
        for strip_id in [strip_id for strip_id, heard in waiting.items() if heard <= begun]:
            del waiting[strip_id]
            _submit(strip_id, work, pool, events)
            running += 1
        strip_id, done = events.get()
        begun.add(strip_id)
        if done is None:
            continue
        running -= 1
        error = done.exception()
        if error is None:
            found[strip_id] = done.result()
        else:
            waiting.clear()
            failure = error if failure is None or isinstance(failure, SourceFailed) else failure
    if failure is not None:
        raise failure
    return found


def _submit(strip_id: str, work: Callable[[str], T], pool: Executor, events: Events) -> None:
    pool.submit(work, strip_id).add_done_callback(lambda done: events.put((strip_id, done)))
