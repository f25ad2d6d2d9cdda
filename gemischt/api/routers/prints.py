"""What is printed, was printed, and what becomes of it."""

from fastapi import APIRouter
from starlette.responses import FileResponse

from gemischt.api.dependencies import JobsDep, Playing, PlayingDep, WorkspaceDep
from gemischt.api.print_schemas import (
    AgainstOrder,
    BringBackOrder,
    FileCurve,
    FormatListing,
    HandOverOrder,
    PrintChoices,
    PrintComing,
    PrintedFile,
    PrintedSince,
    PrintStart,
)
from gemischt.api.schemas import ErrorBody, JobStatus, SessionState, SnapshotListing
from gemischt.core.errors import GemischtError, NotFound
from gemischt.core.printing.delivery import targets_of
from gemischt.core.session.differences import differences
from gemischt.core.session.prints import Target
from gemischt.operations.jobs import UNFINISHED, Jobs
from gemischt.operations.measuring import file_curve
from gemischt.operations.print_lists import (
    begin_run,
    bring_back,
    foreseen,
    playing_only,
    printed_path,
    remove_printed,
    waiting_to_come_back,
)
from gemischt.operations.task_process import run_aside
from gemischt.operations.tasks import HandOver, PrintRun
from gemischt.operations.workspace import Workspace
from gemischt.storage.audio_files import Progress
from gemischt.storage.audio_writing import FORMATS

router = APIRouter(prefix="/api", tags=["prints"])
_OF_SESSION = "/sessions/{session_id}/prints"


@router.post(_OF_SESSION, operation_id="startPrints", status_code=202)
def start_prints(
    session_id: str, order: PrintStart, workspace: WorkspaceDep, jobs: JobsDep, playing: PlayingDep
) -> JobStatus:
    """Print the list, or some of it, in the background."""
    stored = workspace.sessions.get(session_id)
    known = [item for item in stored.session.prints if not order.prints or item.id in order.prints]
    wanted = order.orders or known
    return _start(jobs, workspace, playing, stored.id, stored.session.name, begin_run(workspace, stored, wanted))


@router.post(f"{_OF_SESSION}/runs/{{run_id}}", operation_id="goOnPrinting", status_code=202)
def go_on_printing(
    session_id: str, run_id: str, workspace: WorkspaceDep, jobs: JobsDep, playing: PlayingDep
) -> JobStatus:
    """Print what of a run was stopped or failed, as the song stood then."""
    head, session = workspace.printed.session_of(run_id)
    if head.session_id != session_id:
        raise NotFound("no such print", where=run_id, remedy="It may have been deleted.")
    return _start(jobs, workspace, playing, session_id, session.name, run_id)


def _start(jobs: Jobs, workspace: Workspace, playing: Playing, session_id: str, name: str, run_id: str) -> JobStatus:
    def work(report: Progress) -> dict[str, object]:
        result = run_aside(PrintRun(run_id=run_id), workspace, report)
        problems: list[str] = []
        for entry in waiting_to_come_back(workspace, run_id):
            try:
                bring_back(workspace, session_id, entry, in_place=entry.order.back == "in-place")
                playing.document_changed(session_id)
            except GemischtError as error:
                problems.append(f"{entry.stem} did not come back: {error.what}")
        return result | {"problems": problems}

    return JobStatus.of(jobs.start(f"Print {name} {run_id}", work))


@router.get(_OF_SESSION, operation_id="listPrints")
def list_prints(session_id: str, workspace: WorkspaceDep, jobs: JobsDep) -> list[PrintedFile]:
    """Every file that was printed or is to be, the newest run first."""
    live = {job.title.rpartition(" ")[2] for job in jobs.all() if job.state in UNFINISHED}
    session = workspace.sessions.get(session_id).session
    runs = workspace.printed.runs(session_id)
    return [
        PrintedFile.of(head, entry, session, is_under_way=head.id in live) for head, files in runs for entry in files
    ]


@router.get("/sessions/{session_id}/prints-coming", operation_id="foreseePrints")
def foresee_prints(session_id: str, workspace: WorkspaceDep) -> list[PrintComing]:
    """What each print of the list would make."""
    return [
        PrintComing(print=order.id, files=names, problem=problem and _body(problem))
        for order, names, problem in foreseen(workspace.sessions.get(session_id).session)
    ]


@router.get("/sessions/{session_id}/print-choices", operation_id="listPrintChoices")
def list_print_choices(session_id: str, workspace: WorkspaceDep) -> PrintChoices:
    """What prints can be meant for, own and published, what other songs share, and the formats there are."""
    formats = [
        FormatListing(
            format=name, words=one.words, is_lossy=one.is_lossy, most_channels=one.most_channels,
            rates_hz=list(one.rates_hz),
        )
        for name, one in FORMATS.items()
    ]  # fmt: skip
    targets = list(targets_of(workspace.sessions.get(session_id).session))
    return PrintChoices(targets=targets, shared=workspace.targets.all(), formats=formats)


@router.post("/targets", operation_id="shareTarget", status_code=204)
def share_target(target: Target, workspace: WorkspaceDep) -> None:
    """Let other songs be held against a target, too; one that is shared under the same name gives way."""
    workspace.targets.keep(target)


@router.delete("/targets", operation_id="unshareTarget", status_code=204)
def unshare_target(name: str, workspace: WorkspaceDep) -> None:
    """Share a target no longer; songs that have it keep it."""
    workspace.targets.remove(name)


@router.get(f"{_OF_SESSION}/{{file_id}}/differences", operation_id="changedSincePrint")
def changed_since_print(session_id: str, file_id: str, workspace: WorkspaceDep) -> PrintedSince:
    """What changed in the song since a file was printed."""
    entry = workspace.printed.file(session_id, file_id)
    head, before = workspace.printed.session_of(entry.run)
    now = workspace.sessions.get(session_id)
    return PrintedSince(differences=list(differences(before, now.session)), edits=now.revision - head.revision)


@router.get(f"{_OF_SESSION}/{{file_id}}/curve", operation_id="curveOfPrint")
def curve_of_print(session_id: str, file_id: str, workspace: WorkspaceDep) -> FileCurve:
    """A printed file along its length."""
    path = printed_path(workspace, workspace.printed.file(session_id, file_id))
    duration_s, peaks, short_term = file_curve(path)
    return FileCurve(duration_s=duration_s, peaks=peaks, short_term_lufs=short_term)


@router.post(f"{_OF_SESSION}/{{file_id}}/back", operation_id="bringBackPrint")
def bring_back_print(
    session_id: str, file_id: str, order: BringBackOrder, workspace: WorkspaceDep, playing: PlayingDep
) -> SessionState:
    """Let a printed file play in the song: as a track, or in place of its strip's clips and chain."""
    entry = workspace.printed.file(session_id, file_id)
    brought = bring_back(workspace, session_id, entry, in_place=order.in_place)
    playing.document_changed(session_id)
    return SessionState.of(brought)


@router.post(f"{_OF_SESSION}/{{file_id}}/snapshot", operation_id="snapshotOfPrint", status_code=201)
def snapshot_of_print(session_id: str, file_id: str, workspace: WorkspaceDep) -> SnapshotListing:
    """The song as it stood when a file was printed, among the versions to compare with."""
    entry = workspace.printed.file(session_id, file_id)
    head, session = workspace.printed.session_of(entry.run)
    return SnapshotListing.of(workspace.snapshots.add(session_id, f"Edit {head.edit}: {entry.stem}"[:200], session))


@router.post(f"{_OF_SESSION}/{{file_id}}/sound", operation_id="soundOfPrint", status_code=201)
def sound_of_print(session_id: str, file_id: str, workspace: WorkspaceDep) -> SnapshotListing:
    """A printed file itself, among the versions to compare with."""
    path = printed_path(workspace, workspace.printed.file(session_id, file_id))
    rate_hz = workspace.sessions.get(session_id).session.sample_rate_hz
    session = playing_only(workspace, [path], path.name, rate_hz)
    return SnapshotListing.of(workspace.snapshots.add(session_id, f"File: {path.name}"[:200], session))


@router.post(f"{_OF_SESSION}/{{file_id}}/against", operation_id="comparePrints", status_code=201)
def compare_prints(session_id: str, file_id: str, order: AgainstOrder, workspace: WorkspaceDep) -> SessionState:
    """A session in which two printed files lie beside each other, the second one muted."""
    entries = [workspace.printed.file(session_id, one) for one in (file_id, order.other)]
    paths = [printed_path(workspace, entry) for entry in entries]
    rate_hz = workspace.sessions.get(session_id).session.sample_rate_hz
    name = f"{paths[0].stem} against {paths[1].stem}"
    return SessionState.of(workspace.sessions.create(playing_only(workspace, paths, name, rate_hz)))


@router.delete(f"{_OF_SESSION}/{{file_id}}", operation_id="removePrint", status_code=204)
def remove_print(session_id: str, file_id: str, workspace: WorkspaceDep) -> None:
    """Delete a printed file."""
    remove_printed(workspace, session_id, file_id)


@router.post("/sessions/{session_id}/hand-over", operation_id="handOver", status_code=202)
def start_handing_over(session_id: str, order: HandOverOrder, workspace: WorkspaceDep, jobs: JobsDep) -> JobStatus:
    """Pack the song for somebody else, in the background."""
    stored = workspace.sessions.get(session_id)
    task = HandOver(session=stored.session, kind=order.kind)
    title = f"Hand over {session_id} {order.kind}"
    return JobStatus.of(jobs.start(title, lambda report: run_aside(task, workspace, report)))


@router.get("/prints/{file_name}", operation_id="fetchPrint", response_class=FileResponse)
def fetch_print(file_name: str, workspace: WorkspaceDep) -> FileResponse:
    """A finished print."""
    path = workspace.prints / file_name
    if path.parent != workspace.prints or file_name.startswith(".") or not path.is_file():
        raise NotFound("no such print", where=file_name, remedy="Print again.")
    return FileResponse(path, filename=file_name)


def _body(error: GemischtError) -> ErrorBody:
    return ErrorBody(what=error.what, where=error.where, remedy=error.remedy)
