"""The ``gemischt`` command: its words. What they do is loaded only once it is asked for, so that help comes at once."""

import io
import json
import os
import sys
from pathlib import Path
from typing import Annotated, Any, Literal

import platformdirs
import typer

from gemischt.cli.console import errors
from gemischt.core.errors import GemischtError, InvalidSession

app = typer.Typer(
    help="Mixing that shows why it sounds as it does.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
)

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


def commands() -> Any:
    """What the commands do."""
    from gemischt.cli import commands

    return commands


@app.command()
def start(
    demo: Annotated[bool, typer.Option("--demo", help="Make the demo song if it is not there.")] = False,
    data: DataOption = None,
    host: Annotated[str, typer.Option(help="Address to listen on.")] = "127.0.0.1",
    port: Annotated[int, typer.Option(help="Port to listen on.")] = 8765,
    reload: Annotated[bool, typer.Option(help="Restart when the code changes.", hidden=True)] = False,
) -> None:
    """Start the web application."""
    from gemischt.api import PRELOADED
    from gemischt.operations import child_process

    # What plays and measures loads what it needs beside the server.
    child_process.get_ready(PRELOADED)
    from gemischt.cli.server import serve

    serve(data_folder(data), demo=demo, host=host, port=port, reload=reload)


@app.command()
def render(
    session: str,
    output: Annotated[Path, typer.Option("-o", "--output", help="File to write; a folder for several files.")],
    from_s: Annotated[float | None, typer.Option("--from", min=0.0, help="Start, seconds.")] = None,
    to_s: Annotated[float | None, typer.Option("--to", min=0.0, help="End, seconds.")] = None,
    tap: Annotated[
        list[str] | None,
        typer.Option(help="STRIP:TAP instead of the mix: pre-chain, pre-fader, post-fader, or behind a processor."),
    ] = None,
    stems: Annotated[bool, typer.Option("--stems", help="All that plays into the mix, one by one.")] = False,
    whole_list: Annotated[bool, typer.Option("--list", help="The session's own print list.")] = False,
    file_format: Annotated[
        str | None, typer.Option("--format", help="wav-24, flac-24, mp3 ...; else by the file's suffix.")
    ] = None,
    rate: Annotated[int | None, typer.Option(help="Sample rate in Hz, else the session's.")] = None,
    folded: Annotated[
        Literal["as-is", "stereo", "mono", "left", "right", "side", "headphones"],
        typer.Option("--as", help="Fold down, or take one side."),
    ] = "as-is",
    target: Annotated[str | None, typer.Option(help="Hold it against a delivery target, by name or id.")] = None,
    data: DataOption = None,
    as_json: JsonOption = False,
) -> None:
    """Print a mix, a tap, stems or a whole list."""
    from gemischt.cli import print_commands

    print_commands.render(
        session,
        output,
        stretch_s=(from_s, to_s),
        taps=tap or [],
        stems=stems,
        whole_list=whole_list,
        file_format=file_format,
        rate_hz=rate,
        folded=folded,
        target=target,
        data=data_folder(data),
        as_json=as_json,
    )


@app.command("print")
def print_songs(
    sessions: Annotated[
        list[str] | None,
        typer.Argument(help="Sessions, folders of them, or text files that list them; none: all of the data folder."),
    ] = None,
    to: Annotated[str, typer.Option(help="Folder for their files, one a song.")] = "prints",
    stems: Annotated[bool, typer.Option("--stems", help="Their stems instead of their print lists.")] = False,
    mix: Annotated[bool, typer.Option("--mix", help="Their mixes instead of their print lists.")] = False,
    file_format: Annotated[str, typer.Option("--format", help="Of mixes and stems.")] = "wav-24",
    target: Annotated[str | None, typer.Option(help="Hold them against a delivery target, by name or id.")] = None,
    workers: Annotated[int, typer.Option(min=1, max=256, help="Processes on this machine.")] = 1,
    address: Annotated[str | None, typer.Option("--on", help="Address of a Dask scheduler instead.")] = None,
    data: DataOption = None,
) -> None:
    """Print many songs, unattended; an interrupted run goes on."""
    from gemischt.cli import print_commands

    print_commands.print_songs(
        sessions or [],
        to,
        stems=stems,
        mix=mix,
        file_format=file_format,
        target=target,
        workers=workers,
        address=address,
        data=data_folder(data),
    )


@app.command()
def catalogue(
    folder: Annotated[Path | None, typer.Argument(help="Folder of session files; none: the data folder.")] = None,
    workers: Annotated[int, typer.Option(min=1, max=256, help="Processes on this machine.")] = 1,
    address: Annotated[str | None, typer.Option("--on", help="Address of a Dask scheduler instead.")] = None,
    data: DataOption = None,
    as_json: JsonOption = False,
) -> None:
    """List songs with loudness, peak and findings."""
    from gemischt.cli import print_commands

    print_commands.catalogue(folder, workers=workers, address=address, data=data_folder(data), as_json=as_json)


@app.command()
def measure(
    files: Annotated[list[str], typer.Argument(help="Audio files, or one session with --stages.")],
    stages: Annotated[bool, typer.Option("--stages", help="Measure a session's every strip at every stage.")] = False,
    csv: Annotated[bool, typer.Option("--csv", help="Print stages as comma-separated values.")] = False,
    data: DataOption = None,
    as_json: JsonOption = False,
) -> None:
    """Measure levels and loudness of audio files, or of every stage of a session."""
    if not stages:
        commands().measure_files(files, as_json=as_json)
    elif len(files) == 1:
        commands().measure_stages(files[0], data=data_folder(data), as_json=as_json, csv=csv)
    else:
        raise typer.BadParameter("--stages takes one session")


@app.command()
def findings(session: str, data: DataOption = None, as_json: JsonOption = False) -> None:
    """Examine a session and say what was found, with evidence."""
    commands().findings(session, data=data_folder(data), as_json=as_json)


@app.command(name="import")
def import_files(
    session: str,
    files: Annotated[list[Path] | None, typer.Argument(help="Audio files.")] = None,
    midi: Annotated[Path | None, typer.Option("--midi", help="MIDI file to take the beat from.")] = None,
    apart: Annotated[bool, typer.Option("--apart", help="A track for each channel of a file.")] = False,
    data: DataOption = None,
) -> None:
    """Bring audio files into a session of the data folder, one track each; or tempo, sections and notes of a MIDI
    file."""
    if not files and midi is None:
        raise typer.BadParameter("give audio files, or a MIDI file with --midi")
    if midi is not None:
        commands().import_midi(session, midi, data=data_folder(data))
    if files:
        commands().import_files(session, files, data=data_folder(data), apart=apart)


@app.command()
def tempo(
    session: str,
    estimate: Annotated[str | None, typer.Option(help="Estimate it from a strip, by name or id.")] = None,
    set_bpm: Annotated[float | None, typer.Option("--set", help="Set the first tempo, in beats a minute.")] = None,
    data: DataOption = None,
    as_json: JsonOption = False,
) -> None:
    """Show a session's tempo and metre, estimate the tempo from a strip, or set it."""
    if estimate is not None and set_bpm is not None:
        raise typer.BadParameter("--estimate only offers a tempo; set it with --set in a second step")
    commands().tempo(session, estimate=estimate, set_bpm=set_bpm, data=data_folder(data), as_json=as_json)


@app.command()
def export(
    session: str,
    output: Annotated[Path, typer.Option("-o", "--output", help="Folder, or a file ending in .zip.")],
    data: DataOption = None,
) -> None:
    """Write a session with its audio as open files."""
    commands().export(session, output, data=data_folder(data))


@app.command()
def validate(session: str, data: DataOption = None, as_json: JsonOption = False) -> None:
    """Check a session; every fault is named with its path."""
    commands().validate(session, data=data_folder(data), as_json=as_json)


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
    commands().paths(session, strip, from_s=from_s, to_s=to_s, data=data_folder(data), as_json=as_json)


@app.command()
def moves(session: str, data: DataOption = None, as_json: JsonOption = False) -> None:
    """List what moves over the song."""
    commands().moves(session, data=data_folder(data), as_json=as_json)


@app.command()
def ducks(session: str, data: DataOption = None, as_json: JsonOption = False) -> None:
    """Say what makes room for what, and what it measures."""
    commands().ducks(session, data=data_folder(data), as_json=as_json)


@app.command()
def stage(session: str, data: DataOption = None, as_json: JsonOption = False) -> None:
    """Say where each strip is heard, how wide, how far away, and what mono takes away."""
    commands().stage(session, data=data_folder(data), as_json=as_json)


@app.command()
def openapi() -> None:
    """Print the API's schema."""
    from gemischt.cli.server import openapi_document

    print(json.dumps(openapi_document(), indent=1, sort_keys=True))


@app.command()
def schema() -> None:
    """Print the JSON Schema of session files."""
    commands().schema()


@app.command()
def parameters() -> None:
    """Print every parameter's range and unit, as JSON."""
    commands().parameters()


@app.command()
def prepare(
    estimates: Annotated[bool, typer.Option("--estimates", help="What estimates of tempo need, instead.")] = False,
) -> None:
    """Compile the kernels, so that the first start is quick."""
    commands().prepare(estimates=estimates)


if __name__ == "__main__":
    main()
