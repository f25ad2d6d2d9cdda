"""What the commands that print do."""

import json
import sys
from collections.abc import Sequence
from dataclasses import asdict
from datetime import UTC, datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, NamedTuple, get_args

from pydantic import ValidationError

from gemischt.cli.commands import opened
from gemischt.cli.console import errors, progress_bar
from gemischt.core.engine.endings import LONGEST_TAIL_S
from gemischt.core.errors import InvalidAction, NotFound, StorageFailed
from gemischt.core.printing.delivery import Verdict, target_named, verdict_on
from gemischt.core.printing.files import PrintFile, files_of
from gemischt.core.session.document import Session
from gemischt.core.session.print_names import apart, file_stem
from gemischt.core.session.prints import Print, Target
from gemischt.core.terms import Tap
from gemischt.operations.catalogue import (
    TABLE,
    SongJob,
    SongResult,
    Work,
    cluster,
    processes,
    run_catalogue,
)
from gemischt.operations.measuring import summary_to_json
from gemischt.operations.printing import Outcome, Printed, named_files, print_files
from gemischt.operations.reports import report_to_json
from gemischt.operations.session_files import SUFFIX, is_session_file, locate_session
from gemischt.operations.workspace import OpenMedia
from gemischt.storage.audio_files import Progress
from gemischt.storage.audio_writing import FORMATS
from gemischt.storage.writing import disk_error


def render(
    session: str,
    output: Path,
    *,
    stretch_s: tuple[float | None, float | None],
    taps: list[str],
    stems: bool,
    whole_list: bool,
    file_format: str | None,
    rate_hz: int | None,
    folded: str,
    target: str | None,
    data: Path,
    as_json: bool,
) -> None:
    """Print a mix, taps, stems or a list."""
    with opened(data) as workspace, progress_bar("Rendering") as progress:
        mix = locate_session(workspace, session).session
        meant_for = None if target is None else target_named(mix, target)
        shared = _settings(stretch_s, file_format or _format_of(output), rate_hz, folded)
        orders = list(mix.prints) if whole_list else _orders(mix, taps, stems, shared)
        several = whole_list or stems or len(taps) > 1
        media = workspace.open_media(mix)
        if several:
            outcomes = _into_folder(mix, media, orders, output, progress)
        else:
            named = [(file, output.stem) for file in files_of(mix, orders[0])]
            _check_suffix(output, named[0][0])
            made_at = datetime.now(UTC)
            outcomes = print_files(mix, media, named, output.parent, made_at=made_at, overwrite=True, progress=progress)
    rows = [_row(outcome, meant_for) for outcome in outcomes]
    if as_json:
        print(json.dumps(rows if several else rows[0]))
    else:
        for outcome in outcomes:
            _say(outcome, meant_for)
    if any(not isinstance(outcome, Printed) for outcome in outcomes):
        sys.exit(1)


def _settings(
    stretch_s: tuple[float | None, float | None], file_format: str, rate_hz: int | None, folded: str
) -> dict[str, Any]:
    settings: dict[str, Any] = {"format": file_format, "rate_hz": rate_hz, "channels": folded}
    from_s, to_s = stretch_s
    if to_s is not None:
        settings |= {"stretch": {"kind": "from-to", "from_s": from_s or 0.0, "to_s": to_s}, "ends": "cut"}
    elif from_s is not None:
        settings["stretch"] = {"kind": "from-to", "from_s": from_s}
    return settings


def _orders(session: Session, taps: list[str], stems: bool, settings: dict[str, Any]) -> list[Print]:
    try:
        if stems:
            return [Print.model_validate({"id": "stems", "every": "stem"} | settings)]
        if not taps:
            return [Print.model_validate({"id": "mix", "strips": [session.mix.id]} | settings)]
        return [
            Print.model_validate({"id": f"tap-{number}"} | _place(session, tap) | settings)
            for number, tap in enumerate(taps)
        ]
    except ValidationError as error:
        fault = error.errors()[0]
        where = " ".join(map(str, fault["loc"]))
        raise InvalidAction(fault["msg"], where=where, remedy="See gemischt render --help.") from None


def _place(session: Session, tap: str) -> dict[str, Any]:
    name, _, at = tap.rpartition(":") if ":" in tap else (tap, "", "post-fader")
    found = next((strip for strip in session.strips if name in (strip.id, strip.name)), None)
    if found is None:
        raise NotFound("no such strip", where=name, remedy="Name a strip by its id or name.")
    return {"strips": [found.id]} | ({"taps": [at]} if at in get_args(Tap) else {"after": at})


def _into_folder(
    session: Session, media: OpenMedia, orders: Sequence[Print], folder: Path, progress: Progress
) -> list[Outcome]:
    if not orders:
        raise InvalidAction(
            "its print list is empty", where=session.name, remedy="Add prints in the Print station, or use --stems."
        )
    made_at = datetime.now(UTC)
    named = named_files(session, orders, made_at)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise disk_error(error, folder / "print") from error
    return print_files(session, media, named, folder, made_at=made_at, progress=progress)


def _format_of(output: Path) -> str:
    """The format that a suffix says: of several the first with 24 bits."""
    suffix = {".aif": ".aiff", ".oga": ".ogg"}.get(output.suffix.lower(), output.suffix.lower())
    found = [name for name, one in FORMATS.items() if one.suffix == suffix]
    return next((name for name in found if name.endswith("-24")), found[0] if found else "wav-24")


def _check_suffix(output: Path, file: PrintFile) -> None:
    suffix = FORMATS[file.order.format].suffix
    if output.suffix.lower() not in (suffix, ".aif" if suffix == ".aiff" else suffix):
        raise StorageFailed(
            f"a file of {file.order.format} ends in {suffix}", where=str(output), remedy="Name it so, or see --format."
        )


def _row(outcome: Outcome, target: Target | None) -> dict[str, Any]:
    if not isinstance(outcome, Printed):
        error = outcome.error
        return {"file": outcome.file.names.what, "error": {"what": error.what, "remedy": error.remedy}}
    row = {
        "path": str(outcome.path),
        "clipped_samples": outcome.clipped_samples,
        "ringing_dbfs": outcome.ringing_dbfs,
        "limiting": None if outcome.limiting is None else asdict(outcome.limiting),
        **summary_to_json(outcome.summary),
    }
    verdict = _verdict(outcome, target)
    return row if verdict is None else row | {"fits": verdict.fits, "verdict": report_to_json(verdict)}


def _verdict(printed: Printed, target: Target | None) -> Verdict | None:
    if target is None:
        return None
    return verdict_on(target, printed.summary, printed.file.order.format, printed.rate_hz)


def _say(outcome: Outcome, target: Target | None) -> None:
    if not isinstance(outcome, Printed):
        errors.print(f"{outcome.file.names.what}: {outcome.error}", markup=False)
        return
    summary = summary_to_json(outcome.summary)
    loudness = "silent" if summary["integrated_lufs"] is None else f"{summary['integrated_lufs']:.1f} LUFS"
    print(f"{outcome.path}: {summary['duration_s']:.1f} s, {loudness}")
    if outcome.clipped_samples:
        errors.print(f"{outcome.path}: {outcome.clipped_samples} samples were clipped; turn it down or use wav-32f")
    if outcome.ringing_dbfs is not None:
        errors.print(
            f"{outcome.path}: still rang at {outcome.ringing_dbfs:.0f} dBFS {LONGEST_TAIL_S:.0f} s after the last "
            "clip; it was cut there. Shorten the feedback or print a longer stretch"
        )
    verdict = _verdict(outcome, target)
    if verdict is not None:
        for check in verdict.checks:
            print(f"  {'✓' if check.holds else '✗'} {check.asked}: {check.found} (asked: {check.wanted})")
        if verdict.gain_db:
            limited = f", a limiter then takes {verdict.limited_db:.1f} dB" if verdict.limited_db else ""
            print(f"  {verdict.gain_db:+.1f} dB would reach it{limited}")


def print_songs(
    references: list[str],
    to: str,
    *,
    stems: bool,
    mix: bool,
    file_format: str,
    target: str | None,
    workers: int,
    address: str | None,
    data: Path,
) -> None:
    """Print the lists of many sessions, or their mixes or stems, into a folder for each."""
    work: Work = "stems" if stems else "mix" if mix else "list"
    if file_format not in FORMATS:
        raise InvalidAction("no such format", where=file_format, remedy=f"There are {', '.join(FORMATS)}.")
    songs = _songs(references, data)
    folders = apart(file_stem(song.name, otherwise="song") for song in songs)
    jobs = [
        SongJob(song.session, work, f"{to}/{folder}", song.data, file_format, target or "")
        for song, folder in zip(songs, folders, strict=True)
    ]
    _run(jobs, Path(to) if "://" not in to else Path.cwd(), workers, address)


def catalogue(folder: Path | None, *, workers: int, address: str | None, data: Path, as_json: bool) -> None:
    """Measure all sessions below a folder, or of the data folder."""
    songs = _songs([str(folder)] if folder else [], data)
    jobs = [SongJob(song.session, "measure", data=song.data) for song in songs]
    with TemporaryDirectory() as aside:
        results = _run(jobs, folder or Path(aside), workers, address, silent=as_json)
    if as_json:
        print(json.dumps([{"session": one.job.session, "error": one.error, **_first(one)} for one in results]))


class _Song(NamedTuple):
    """A session, the data folder it is in, empty for a file, and what it is called."""

    session: str
    data: str
    name: str


def _songs(references: list[str], data: Path) -> list[_Song]:
    """Sessions: of the whole data folder if none is named; of a folder all below it; of a text file those it lists, a
    line each."""
    if not references:
        with opened(data) as workspace:
            return [_Song(entry.id, str(data), entry.name) for entry in workspace.sessions.entries(deleted=False)]
    found: list[_Song] = []
    for reference in references:
        path = Path(reference)
        if path.is_dir():
            files = sorted(path.rglob(f"*{SUFFIX}")) + sorted(path.rglob("*.gemischt.zip"))
            found += [_Song(str(file), "", _stem(file)) for file in files]
        elif path.suffix == ".txt" and path.is_file():
            lines = path.read_text(encoding="utf-8").splitlines()
            found += _songs([line.strip() for line in lines if line.strip()], data)
        elif "://" in reference or is_session_file(reference):
            found.append(_Song(reference, "", _stem(path)))
        else:
            found.append(_Song(reference, str(data), reference))
    return found


def _stem(path: Path) -> str:
    return path.name.split(".gemischt")[0]


def _run(
    jobs: list[SongJob], results_in: Path, workers: int, address: str | None, *, silent: bool = False
) -> list[SongResult]:
    if not jobs:
        raise NotFound("there are no sessions", where=str(results_in), remedy="Name sessions, or a folder of them.")

    def tell(result: SongResult, done: int, of: int) -> None:
        if not silent:
            said = result.error or ", ".join(filter(None, (_words(row) for row in result.rows)))
            print(f"{done}/{of} {result.job.session}: {result.state} in {result.took_s:.1f} s: {said}", flush=True)

    with cluster(address) if address else processes(max(1, workers)) as who:
        results = run_catalogue(jobs, who, results_in, told=tell)
    failed = sum(result.state == "failed" for result in results)
    if not silent:
        print(f"{len(results) - failed} done, {failed} failed; see {results_in / TABLE}")
    if failed:
        sys.exit(1)
    return results


def _words(row: dict[str, Any]) -> str:
    loudness = "silent" if row.get("integrated_lufs") is None else f"{row['integrated_lufs']:.1f} LUFS"
    found = f", {row['findings']} findings" if "findings" in row else ""
    return f"{row.get('file', '')} {loudness}{found}{', ' + row['verdict'] if row.get('verdict') else ''}".strip()


def _first(result: SongResult) -> dict[str, Any]:
    return result.rows[0] if result.rows else {}
