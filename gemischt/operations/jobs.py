"""Long work: progress, cancel, and a result that waits to be fetched."""

import logging
import threading
import uuid
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any, Literal

from gemischt.core.errors import Cancelled, GemischtError, NotFound, TooMuch
from gemischt.operations.priority import step_back
from gemischt.storage.audio_files import Progress

_log = logging.getLogger(__name__)
JobState = Literal["waiting", "running", "done", "failed", "cancelled"]
UNFINISHED: tuple[JobState, ...] = ("waiting", "running")
MOST_UNFINISHED = 100
KEPT_JOBS = 200
WORKERS = 3
"""One may measure the whole song and another hear all that makes room, while a third answers a question."""


@dataclass
class Job:
    """One piece of work; ``result`` is what it returned, ``error`` why it failed.

    ``session`` is the one that pages are to know more about by it, if it serves nothing else. What ``steps_aside`` is
    given up for anything that does not.
    """

    id: str
    title: str
    session: str | None = None
    steps_aside: bool = False
    state: JobState = "waiting"
    progress: float = 0.0
    result: Any = None
    error: GemischtError | None = None
    cancelling: threading.Event = field(default_factory=threading.Event)
    ended: threading.Event = field(default_factory=threading.Event)

    def report(self, share: float) -> None:
        """Called by the work; raises Cancelled once the job is to stop."""
        if self.cancelling.is_set():
            raise Cancelled("stopped on request", where=self.title)
        self.progress = share


class Jobs:
    """Runs a few jobs at a time, behind playback."""

    def __init__(self) -> None:
        self._pool = ThreadPoolExecutor(max_workers=WORKERS, thread_name_prefix="job", initializer=step_back)
        self._jobs: dict[str, Job] = {}
        self._lock = threading.Lock()

    def start(
        self, title: str, work: Callable[[Progress], Any], *, session: str | None = None, steps_aside: bool = False
    ) -> Job:
        """Queue work, which gets a function to report its progress with."""
        job = Job(uuid.uuid4().hex[:12], title, session, steps_aside)
        if not steps_aside:
            self._give_up(lambda other: other.steps_aside)
        with self._lock:
            finished = [old.id for old in self._jobs.values() if old.state not in UNFINISHED]
            if len(self._jobs) - len(finished) >= MOST_UNFINISHED:
                raise TooMuch(
                    f"{MOST_UNFINISHED} jobs wait already", where=title, remedy="Wait for some of them or stop them."
                )
            for old_id in finished[: max(0, len(self._jobs) + 1 - KEPT_JOBS)]:
                del self._jobs[old_id]
            self._jobs[job.id] = job
        self._pool.submit(self._run, job, work)
        return job

    def start_instead(
        self, title: str, work: Callable[[Progress], Any], *, session: str, steps_aside: bool = False
    ) -> Job:
        """Queue work for the pages of a session; what is still under way with the same title is given up."""
        self._give_up(lambda other: other.title == title)
        return self.start(title, work, session=session, steps_aside=steps_aside)

    def give_up_for(self, session: str) -> None:
        """Give up what only the pages of a session wanted: there is none any more."""
        self._give_up(lambda job: job.session == session)

    def get(self, job_id: str, *, wait_s: float = 0.0) -> Job:
        """The job of this id, once it has ended or so much time has passed; or NotFound."""
        with self._lock:
            if job_id not in self._jobs:
                raise NotFound("no such job", where=job_id, remedy="Start it again.")
            job = self._jobs[job_id]
        job.ended.wait(wait_s)
        return job

    def all(self) -> list[Job]:
        """Every job still known, the oldest first."""
        with self._lock:
            return list(self._jobs.values())

    def cancel(self, job_id: str) -> Job:
        """Ask a job to stop; it does at its next report, or at once while it waits."""
        job = self.get(job_id)
        job.cancelling.set()
        with self._lock:
            if job.state == "waiting":
                job.state = "cancelled"
                job.ended.set()
        return job

    def close(self) -> None:
        """Cancel everything and wait."""
        for job in self.all():
            job.cancelling.set()
        self._pool.shutdown(wait=True, cancel_futures=True)

    def _give_up(self, unwanted: Callable[[Job], bool]) -> None:
        for job in self.all():
            if job.state in UNFINISHED and unwanted(job):
                self.cancel(job.id)

    def _run(self, job: Job, work: Callable[[Progress], Any]) -> None:
        with self._lock:
            if job.state == "cancelled":
                return
            job.state = "running"
        try:
            job.report(0.0)
            job.result = work(job.report)
            job.progress = 1.0
            job.state = "done"
        except Cancelled:
            job.state = "cancelled"
        except GemischtError as error:
            job.error = error
            job.state = "failed"
        except Exception as error:
            _log.exception("%s failed", job.title)
            job.error = GemischtError(f"failed unexpectedly ({error!r})", where=job.title, remedy="Try again.")
            job.state = "failed"
        finally:
            job.ended.set()
