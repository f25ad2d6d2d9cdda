"""Tasks over the song of a session, as jobs."""

from collections.abc import Callable
from typing import Any

from gemischt.api.schemas import JobStatus
from gemischt.operations.jobs import Jobs
from gemischt.operations.task_process import run_aside
from gemischt.operations.tasks import Task
from gemischt.operations.workspace import Workspace
from gemischt.storage.audio_files import Progress
from gemischt.storage.sessions import StoredSession


def start_task(
    jobs: Jobs,
    workspace: Workspace,
    title: str,
    task: Task,
    stored: StoredSession,
    *,
    told: Callable[[dict[str, Any]], None] = lambda _result: None,
    steps_aside: bool = False,
) -> JobStatus:
    """Begin a task for the pages of a session; an earlier one of the same title is given up. Its result says of which
    revision it is; ``told`` is given it, too. One that ``steps_aside`` is given up for anything that does not."""

    def work(report: Progress) -> dict[str, Any]:
        result = run_aside(task, workspace, report) | {"revision": stored.revision}
        told(result)
        return result

    return JobStatus.of(jobs.start_instead(title, work, session=stored.id, steps_aside=steps_aside))
