"""The ``gemischt`` command."""

import io
import json
import os
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from csv import DictWriter
from pathlib import Path
from typing import Annotated, Literal

import platformdirs
import typer
from rich.console import Console
from rich.progress import Progress as ProgressBar

from gemischt.core.analysis.ledger import path_ledger
from gemischt.core.dsp.jit import prepare_kernels
from gemischt.core.engine.offline import LONGEST_TAIL_S
from gemischt.core.errors import GemischtError, InvalidSession, NotFound
from gemischt.core.session.actions import AddTracks
from gemischt.core.session.document import Session
from gemischt.core.units import heard_or_none
from gemischt.operations.importing import import_file
from gemischt.operations.measuring import measure_file, summary_to_json
from gemischt.operations.printing import print_mix
from gemischt.operations.reports import report_to_json
from gemischt.operations.session_files import (
    check_session_file,
    check_stored_session,
    export_session,
    is_session_file,
    locate_session,
)
from gemischt.operations.session_measuring import (
    examine_session,
    finding_to_json,
    measure_session,
    measurement_to_json,
)
from gemischt.operations.workspace import Workspace

app = typer.Typer(
    help="Mixing that shows why it sounds as it does.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
)
errors = Console(stderr=True, highlight=False, soft_wrap=True)

DataOption = Annotated[Path | None, typer.Option("--data", help="Data folder (else GEMISCHT_DATA).")]
JsonOption = Annotated[bool, typer.Option("--json", help="Print machine-readable results.")]


def main() -> None:
    """Run the command; errors go to stderr, with exit code 1 for bad input and 2 for wrong usage."""
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            # File names may be no text at all.
            stream.reconfigure(errors="backslashreplace")
    try:
        app()
    except InvalidSession as error:
        for fault in error.faults:
            errors.print(f"{error.where}: {fault.path}: {fault.reason}", markup=False)
        sys.exit(1)
    except GemischtError as error:
        errors.print(str(error), markup=False)
        sys.exit(1)


def data_folder(given: Path | None) -> Path:
    """The data folder: as given, from GEMISCHT_DATA, or the user's own."""
    return given or Path(os.environ.get("GEMISCHT_DATA") or platformdirs.user_data_dir("gemischt"))


@contextmanager
def opened(data: Path | None) -> Iterator[Workspace]:
    workspace = Workspace(data_folder(data))
    try:
        yield workspace
    finally:
        workspace.close()


@contextmanager
def progress_bar(title: str) -> Iterator[Callable[[float], None]]:
    """A bar on a terminal, nothing elsewhere."""
    with ProgressBar(console=errors, disable=not errors.is_terminal, transient=True) as bar:
        task = bar.add_task(title, total=1.0)
        yield lambda share: bar.update(task, completed=share)


@app.command()
def start(
    demo: Annotated[bool, typer.Option("--demo", help="Make the demo song if it is not there.")] = False,
    data: DataOption = None,
    host: Annotated[str, typer.Option(help="Address to listen on.")] = "127.0.0.1",
    port: Annotated[int, typer.Option(help="Port to listen on.")] = 8765,
    reload: Annotated[bool, typer.Option(help="Restart when the code changes.", hidden=True)] = False,
) -> None:
    """Start the web application."""
    from gemischt.cli.server import serve

    serve(data_folder(data), demo=demo, host=host, port=port, reload=reload)


@app.command()
def render(
    session: str,
    output: Annotated[Path, typer.Option("-o", "--output", help="WAV file to write.")],
    from_s: Annotated[float | None, typer.Option("--from", min=0.0, help="Start, seconds.")] = None,
    to_s: Annotated[float | None, typer.Option("--to", min=0.0, help="End, seconds.")] = None,
    bits: Annotated[Literal["16", "24", "32f"], typer.Option(help="Sample format.")] = "24",
    data: DataOption = None,
    as_json: JsonOption = False,
) -> None:
    """Print a mix to a WAV file."""
    with opened(data) as workspace, progress_bar("Rendering") as progress:
        mix = locate_session(workspace, session).session
        media = workspace.open_media(mix)
        printed = print_mix(mix, media, output, bits=bits, from_s=from_s, to_s=to_s, progress=progress)
    summary = summary_to_json(printed.summary)
    if as_json:
        more = {"clipped_samples": printed.clipped_samples, "ringing_dbfs": printed.ringing_dbfs}
        print(json.dumps({"path": str(output), **more, **summary}))
    else:
        print(f"{output}: {summary['duration_s']:.1f} s, {_show(summary['integrated_lufs'])} LUFS")
        if printed.clipped_samples:
            errors.print(f"{output}: {printed.clipped_samples} samples were clipped; turn the mix down or use 32f")
        if printed.ringing_dbfs is not None:
            errors.print(
                f"{output}: still rang at {printed.ringing_dbfs:.0f} dBFS {LONGEST_TAIL_S:.0f} s after the last clip; "
                "it was cut there. Shorten the feedback or print a longer stretch"
            )


@app.command()
def measure(
    files: Annotated[list[str], typer.Argument(help="Audio files, or one session with --stages.")],
    stages: Annotated[bool, typer.Option("--stages", help="Measure a session's every strip at every stage.")] = False,
    csv: Annotated[bool, typer.Option("--csv", help="Print stages as comma-separated values.")] = False,
    data: DataOption = None,
    as_json: JsonOption = False,
) -> None:
    """Measure levels and loudness of audio files, or of every stage of a session."""
    if stages:
        if len(files) != 1:
            raise typer.BadParameter("--stages takes one session")
        _measure_stages(files[0], data, as_json=as_json, csv=csv)
        return
    results = []
    for path in files:
        with progress_bar(path):
            results.append({"path": path, **summary_to_json(measure_file(Path(path)))})
    if as_json:
        print(json.dumps(results))
        return
    for result in results:
        print(
            f"{result['path']}: peak {_show(result['sample_peak_dbfs'])} dBFS, "
            f"true peak {_show(result['true_peak_dbtp'])} dBTP, RMS {_show(result['rms_dbfs'])} dBFS, "
            f"integrated {_show(result['integrated_lufs'])} LUFS, range {_show(result['loudness_range_lu'])} LU"
        )


def _measure_stages(session: str, data: Path | None, *, as_json: bool, csv: bool) -> None:
    with opened(data) as workspace, progress_bar("Measuring") as progress:
        mix = locate_session(workspace, session).session
        measurement = measure_session(workspace, mix, progress)
    written = measurement_to_json(mix, measurement)
    if as_json:
        print(json.dumps({"duration_s": written["duration_s"], "strips": written["strips"]}))
        return
    names = {strip.id: strip.name for strip in mix.strips}
    rows = [
        {"strip": names[strip_id], **stage}
        for strip_id, strip in written["strips"].items()
        for stage in strip["stages"]
    ]
    if csv:
        writer = DictWriter(sys.stdout, fieldnames=list(rows[0]))
        writer.writeheader()
        writer.writerows(rows)
        return
    for row in rows:
        stage = " · ".join(filter(None, (row["processor"], row["lane"]))) or row["name"]
        print(
            f"{row['strip']:24s} {stage:20s} peak {_show(row['sample_peak_dbfs']):>6s} dBFS  "
            f"true peak {_show(row['true_peak_dbtp']):>6s}  RMS {_show(row['rms_dbfs']):>6s}  "
            f"{_show(row['integrated_lufs']):>6s} LUFS"
        )


@app.command()
def findings(session: str, data: DataOption = None, as_json: JsonOption = False) -> None:
    """Examine a session and say what was found, with evidence."""
    with opened(data) as workspace, progress_bar("Measuring") as progress:
        mix = locate_session(workspace, session).session
        found = examine_session(workspace, mix, measure_session(workspace, mix, progress))
    if as_json:
        print(json.dumps([finding_to_json(finding) for finding in found]))
        return
    for finding in found:
        cure = f" Cure: {finding.cure_text}." if finding.cure_text else ""
        print(f"{finding.title}: {finding.evidence} {finding.why}{cure}")
    if not found:
        print(f"{mix.name}: nothing found")


@app.command(name="import")
def import_files(session: str, files: list[Path], data: DataOption = None) -> None:
    """Bring audio files into a session of the data folder, one track each."""
    failed = False
    with opened(data) as workspace:
        stored = workspace.sessions.find(session)
        tracks = []
        for path in files:
            try:
                if not path.is_file():
                    raise GemischtError("there is no such file", where=str(path), remedy="Check the path.")
                with progress_bar(path.name) as progress:
                    rate = stored.session.sample_rate_hz
                    tracks.append(import_file(workspace, path, path.name, sample_rate_hz=rate, progress=progress))
            except GemischtError as error:
                errors.print(str(error), markup=False)
                failed = True
        if tracks:
            workspace.edit(stored.id, stored.revision, AddTracks(tracks=tuple(tracks)))
            print(f"{stored.session.name}: {len(tracks)} tracks added")
    if failed:
        raise typer.Exit(1)


@app.command()
def export(
    session: str,
    output: Annotated[Path, typer.Option("-o", "--output", help="Folder, or a file ending in .zip.")],
    data: DataOption = None,
) -> None:
    """Write a session with its audio as open files."""
    with opened(data) as workspace:
        print(export_session(workspace, locate_session(workspace, session).session, output))


@app.command()
def validate(session: str, data: DataOption = None, as_json: JsonOption = False) -> None:
    """Check a session; every fault is named with its path."""
    faults = []
    if is_session_file(session):
        faults = check_session_file(Path(session))
    else:
        with opened(data) as workspace:
            faults = check_stored_session(workspace, workspace.sessions.find(session).session)
    if as_json:
        print(json.dumps([{"path": fault.path, "reason": fault.reason} for fault in faults]))
    if faults:
        if not as_json:
            raise InvalidSession(faults, where=session)
        raise typer.Exit(1)
    if not as_json:
        print(f"{session}: sound")


@app.command()
def paths(
    session: str,
    strip: str,
    from_s: Annotated[float | None, typer.Option("--from", min=0.0, help="Start, seconds.")] = None,
    to_s: Annotated[float | None, typer.Option("--to", min=0.0, help="End, seconds.")] = None,
    data: DataOption = None,
    as_json: JsonOption = False,
) -> None:
    """Show every way of a strip, given by name or id, to the mix."""
    with opened(data) as workspace, progress_bar("Measuring") as progress:
        mix = locate_session(workspace, session).session
        strip_id = _strip_id(mix, strip)
        media = workspace.open_media(mix)
        ledger = path_ledger(mix, media.samples, strip_id, stretch_s=(from_s or 0.0, to_s), report=progress)
    if as_json:
        print(json.dumps(report_to_json(ledger)))
        return
    names = {item.id: item.name for item in mix.strips}
    print(f"{names[strip_id]} reaches the mix {len(ledger.ways)} ways")
    for way in ledger.ways:
        steps = " > ".join(
            names[step.strip] if step.send_db is None else f"send {step.send_db:+.1f} > {names[step.strip]}"
            for step in way.steps
        )
        print(
            f"  {steps}: gain {way.gain_db:+.2f} dB, {_show(heard_or_none(way.mix_rms_dbfs))} dBFS RMS, "
            f"later by {way.later_ms:.1f} ms, {100.0 * way.share:.0f} %"
        )
    print(f"  sum: gain {ledger.sum_gain_db:+.2f} dB, {_show(heard_or_none(ledger.sum_rms_dbfs))} dBFS RMS")
    if ledger.twice_db is not None:
        print(f"  heard twice: {ledger.twice_db:+.2f} dB over its loudest dry way")


@app.command()
def openapi() -> None:
    """Print the API's schema."""
    from gemischt.cli.server import openapi_document

    print(json.dumps(openapi_document(), indent=1, sort_keys=True))


@app.command()
def schema() -> None:
    """Print the JSON Schema of session files."""
    from gemischt.core.session.document import Session

    print(json.dumps(Session.model_json_schema(by_alias=True), indent=1, sort_keys=True))


@app.command()
def parameters() -> None:
    """Print every parameter's range and unit, as JSON."""
    from gemischt.core.session.catalogue import catalogue

    tables = catalogue()
    plain = {part: {name: entry.model_dump(mode="json") for name, entry in tables[part].items()} for part in tables}
    print(json.dumps(plain, indent=1, sort_keys=True))


@app.command()
def prepare() -> None:
    """Compile the kernels, so that the first start is quick."""
    print(f"{prepare_kernels()} kernels are ready")


def _strip_id(session: Session, name_or_id: str) -> str:
    for strip in session.strips:
        if name_or_id in (strip.id, strip.name):
            return strip.id
    raise NotFound("no such strip in the session", where=name_or_id, remedy="Give a strip's name or id.")


def _show(level: float | None) -> str:
    return "none" if level is None else f"{level:.1f}"


if __name__ == "__main__":
    main()
