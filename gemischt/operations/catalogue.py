"""Many songs: a catalogue of sessions printed or measured unattended, each on its own, on one machine or several.

A job is data and its result is data, so that whoever does it needs no more than the files it names: a process here, or
a worker of a cluster that sees the same folder. A place may be an address of fsspec ("s3://...", "memory://..."), too.
"""

import csv
import hashlib
import json
import tempfile
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Executor, Future, ProcessPoolExecutor
from contextlib import contextmanager
from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime
from importlib import import_module
from multiprocessing import get_context
from pathlib import Path
from typing import Any, Literal, Protocol

from gemischt.core.errors import GemischtError, InvalidAction, StorageFailed
from gemischt.core.printing.delivery import target_named, verdict_on
from gemischt.core.session.document import Session
from gemischt.core.session.prints import FormatName, Print
from gemischt.operations.measuring import summary_to_json
from gemischt.operations.printing import Printed, named_files, print_files
from gemischt.operations.session_files import locate_session
from gemischt.operations.session_measuring import examine_session, measure_session
from gemischt.operations.workspace import Workspace
from gemischt.storage.writing import written_beside

ANSWERS_WITHIN_S = 10.0
RESULTS = "results.json"
TABLE = "results.csv"
Work = Literal["list", "mix", "stems", "measure"]
COLUMNS = (
    "session", "state", "file", "duration_s", "integrated_lufs", "true_peak_dbtp", "loudness_range_lu", "findings",
    "verdict", "took_s", "error",
)  # fmt: skip


@dataclass(frozen=True)
class SongJob:
    """One session to be printed or measured.

    Attributes:
        session: a session file, or, with ``data``, a session's name or id in a data folder.
        to: the folder that its files go into, and no other's; empty where it is only measured.
        key: tells whether a result is of the same job on the same session.
    """

    session: str
    work: Work
    to: str = ""
    data: str = ""
    format: FormatName = "wav-24"
    target: str = ""
    key: str = ""


@dataclass(frozen=True)
class SongResult:
    """What came of a job: a row a file, or one that says why there is none."""

    job: SongJob
    state: Literal["done", "failed"]
    rows: tuple[dict[str, Any], ...]
    took_s: float
    error: str = ""


class Workers(Protocol):
    """Who does jobs: processes of this machine, or a cluster."""

    def submit(self, work: Callable[[SongJob], SongResult], job: SongJob, /) -> "Future[SongResult]": ...


def run_job(job: SongJob) -> SongResult:
    """Do a job. Whatever goes wrong with it is its result."""
    began_s = time.monotonic()
    try:
        with _workspace(job) as workspace, _local(job.session if not job.data else "") as path:
            session = locate_session(workspace, str(path) if path else job.session).session
            rows = _measure(workspace, session) if job.work == "measure" else _print(workspace, session, job)
    except GemischtError as error:
        return SongResult(job, "failed", (), time.monotonic() - began_s, str(error))
    except Exception as error:  # a broken song must not end the run
        return SongResult(job, "failed", (), time.monotonic() - began_s, f"failed unexpectedly ({error!r})")
    failed = [row["error"] for row in rows if row.get("error")]
    state: Literal["done", "failed"] = "failed" if failed else "done"
    return SongResult(job, state, tuple(rows), time.monotonic() - began_s, "; ".join(failed))


@contextmanager
def _workspace(job: SongJob) -> Iterator[Workspace]:
    """A data folder: the one the session is in, or one that is gone afterwards."""
    if job.data:
        workspace = Workspace(Path(job.data))
        try:
            yield workspace
        finally:
            workspace.close()
        return
    with tempfile.TemporaryDirectory(prefix="gemischt-") as folder:
        workspace = Workspace(Path(folder))
        try:
            yield workspace
        finally:
            workspace.close()


def _measure(workspace: Workspace, session: Session) -> list[dict[str, Any]]:
    measurement = measure_session(workspace, session)
    levels = measurement.strips[session.mix.id].stage("post-fader")
    return [
        {
            "duration_s": measurement.duration_s,
            "integrated_lufs": _finite(levels.integrated_lufs),
            "true_peak_dbtp": _finite(levels.true_peak_dbtp),
            "loudness_range_lu": levels.loudness_range_lu,
            "findings": len(examine_session(workspace, session, measurement)),
        }
    ]


def _print(workspace: Workspace, session: Session, job: SongJob) -> list[dict[str, Any]]:
    made_at = datetime.now(UTC)
    named = named_files(session, _orders(session, job), made_at)
    target = target_named(session, job.target) if job.target else None
    rows: list[dict[str, Any]] = []
    with _folder_to_fill(job.to) as folder:
        media = workspace.open_media(session)
        for outcome in print_files(session, media, named, folder, made_at=made_at, overwrite=True):
            if not isinstance(outcome, Printed):
                rows.append({"file": outcome.file.names.what, "error": str(outcome.error)})
                continue
            row = {"file": outcome.path.name, **summary_to_json(outcome.summary)}
            if target is not None:
                verdict = verdict_on(target, outcome.summary, outcome.file.order.format, outcome.rate_hz)
                row["verdict"] = "fits" if verdict.fits else ", ".join(c.asked for c in verdict.checks if not c.holds)
            rows.append(row)
    return rows


def _orders(session: Session, job: SongJob) -> Sequence[Print]:
    if job.work == "list":
        if not session.prints:
            raise InvalidAction(
                "its print list is empty", where=session.name, remedy="Add prints, or ask for the mix or for stems."
            )
        return session.prints
    if job.work == "stems":
        return [Print(id="stems", every="stem", format=job.format)]
    return [Print(id="mix", strips=(session.mix.id,), format=job.format)]


def run_catalogue(
    jobs: Iterable[SongJob], workers: Workers, results_in: Path, *, told: Callable[[SongResult, int, int], None]
) -> list[SongResult]:
    """Do all jobs that have no result yet; results and failures in one table, as JSON and CSV.

    An interrupted run goes on where it was: what is done is written as it comes. A job that fails fails alone.
    """
    results_in.mkdir(parents=True, exist_ok=True)
    keyed = [replace(job, key=_key_of(job)) for job in jobs]
    known = {result.job.key: result for result in _read(results_in / RESULTS)}
    results = {job.key: known[job.key] for job in keyed if job.key in known and known[job.key].state == "done"}
    waiting = {workers.submit(run_job, job): job for job in keyed if job.key not in results}
    for future in _as_they_come(list(waiting)):
        job = waiting[future]
        try:
            result = future.result()
        except Exception as error:  # a worker that died takes its job along, not the run
            result = SongResult(job, "failed", (), 0.0, f"its worker ended ({error!r})")
        results[job.key] = result
        _write(results_in, [results[other.key] for other in keyed if other.key in results])
        told(result, len(results), len(keyed))
    _write(results_in, [results[job.key] for job in keyed])
    return [results[job.key] for job in keyed]


def _as_they_come(futures: list["Future[SongResult]"]) -> Iterator["Future[SongResult]"]:
    """Futures of any kind as they are done."""
    waiting = list(futures)
    while waiting:
        done = [future for future in waiting if future.done()]
        if not done:
            time.sleep(0.05)
        for future in done:
            waiting.remove(future)
            yield future


@contextmanager
def processes(count: int) -> Iterator[Executor]:
    """So many processes of this machine."""
    with ProcessPoolExecutor(count, mp_context=get_context("spawn")) as pool:
        yield pool


@contextmanager
def cluster(address: str) -> Iterator[Workers]:
    """The workers of a Dask scheduler.

    Raises:
        StorageFailed: it is not installed, or nobody answers there.
    """
    try:
        distributed = import_module("distributed")
    except ImportError:
        raise StorageFailed(
            "working on a cluster needs Dask",
            where=address,
            remedy="Install gemischt with its extra: gemischt[studio].",
        ) from None
    try:
        client = distributed.Client(address, timeout=ANSWERS_WITHIN_S)
    except OSError as error:
        raise StorageFailed("no scheduler answers", where=address, remedy="Start one there first.") from error
    with client:
        yield client


def _key_of(job: SongJob) -> str:
    """The job and what its session holds: one that was changed is another."""
    said = json.dumps(asdict(replace(job, key="")), sort_keys=True).encode()
    digest = hashlib.sha256(said)
    if not job.data and "://" not in job.session and Path(job.session).is_file():
        digest.update(Path(job.session).read_bytes() if job.session.endswith(".json") else _stamp(Path(job.session)))
    if job.data:
        workspace = Workspace(Path(job.data))
        try:
            digest.update(str(workspace.sessions.find(job.session).revision).encode())
        except GemischtError:
            pass
        finally:
            workspace.close()
    return digest.hexdigest()


def _stamp(path: Path) -> bytes:
    stat = path.stat()
    return f"{stat.st_size} {stat.st_mtime_ns}".encode()


def _read(path: Path) -> list[SongResult]:
    if not path.is_file():
        return []
    try:
        return [
            SongResult(SongJob(**one["job"]), one["state"], tuple(one["rows"]), one["took_s"], one["error"])
            for one in json.loads(path.read_text(encoding="utf-8"))
        ]
    except (ValueError, KeyError, TypeError) as error:
        raise StorageFailed(
            f"is no table of results ({error})", where=str(path), remedy="Remove it, or choose another folder."
        ) from None


def _write(folder: Path, results: list[SongResult]) -> None:
    with written_beside(folder / RESULTS) as temporary:
        temporary.write_text(json.dumps([asdict(one) for one in results], ensure_ascii=False, indent=1), "utf-8")
    with written_beside(folder / TABLE) as temporary, temporary.open("w", encoding="utf-8", newline="") as file:
        table = csv.DictWriter(file, COLUMNS, extrasaction="ignore")
        table.writeheader()
        for one in results:
            shared = {"session": one.job.session, "state": one.state, "took_s": round(one.took_s, 2)}
            for row in one.rows or ({"error": one.error},):
                table.writerow(shared | row)


@contextmanager
def _local(place: str) -> Iterator[Path | None]:
    """A file of this machine for a place; one elsewhere is fetched, with the audio beside it."""
    if "://" not in place:
        yield Path(place) if place else None
        return
    fsspec = import_module("fsspec")
    system, path = fsspec.core.url_to_fs(place)
    with tempfile.TemporaryDirectory(prefix="gemischt-") as folder:
        local = Path(folder) / Path(path).name
        try:
            system.get(path, str(local))
            audio = f"{path.rsplit('/', 1)[0]}/audio"
            if local.suffix == ".json" and system.exists(audio):
                system.get(audio, str(Path(folder) / "audio"), recursive=True)
        except OSError as error:
            raise StorageFailed("cannot be fetched", where=place, remedy="Check the address.") from error
        yield local


@contextmanager
def _folder_to_fill(place: str) -> Iterator[Path]:
    """A folder to write to; what is meant for elsewhere is brought there in the end."""
    if "://" not in place:
        folder = Path(place)
        folder.mkdir(parents=True, exist_ok=True)
        yield folder
        return
    system, path = import_module("fsspec").core.url_to_fs(place)
    with tempfile.TemporaryDirectory(prefix="gemischt-") as folder_name:
        yield Path(folder_name)
        system.makedirs(path, exist_ok=True)
        for file in Path(folder_name).iterdir():
            system.put(str(file), f"{path}/{file.name}")


def _finite(level: float) -> float | None:
    return level if level > float("-inf") else None
