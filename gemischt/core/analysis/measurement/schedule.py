"""Work on strips side by side, each at the heels of what it hears."""

from collections.abc import Callable, Mapping
from concurrent.futures import Executor, Future
from queue import SimpleQueue
from typing import Any, TypeAlias, TypeVar

from gemischt.core.analysis.measurement.growing_render import SourceFailed

T = TypeVar("T")
Events: TypeAlias = "SimpleQueue[tuple[str, Future[Any] | None]]"
"""Strips that others may follow from now on; with a future, those that are done."""


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
