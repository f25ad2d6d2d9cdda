"""What the commands do. The command line's words are in ``main``, which starts without any of this."""

import json
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from csv import DictWriter
from pathlib import Path

from gemischt.cli.console import errors, progress_bar
from gemischt.core.analysis.reports.duck_report import report_duck
from gemischt.core.analysis.reports.path_ledger import path_ledger
from gemischt.core.analysis.reports.relations import relations_of
from gemischt.core.analysis.reports.stage_place import StagePlace
from gemischt.core.dsp.jit import prepare_kernels
from gemischt.core.errors import GemischtError, InvalidSession, NotFound
from gemischt.core.session.actions import AddTracks, NewTrack, parse_action
from gemischt.core.session.addresses import name_of
from gemischt.core.session.beat_grid import BeatGrid
from gemischt.core.session.catalogue import catalogue
from gemischt.core.session.document import Session
from gemischt.core.session.moves import curve_of
from gemischt.core.units import heard_or_none, position_to_side
from gemischt.operations.importing import import_tracks, midi_action, with_rate_of
from gemischt.operations.measuring import measure_file, summary_to_json
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
    stage_of_session,
    strips_in_song,
)
from gemischt.operations.tempo_estimating import estimate_strip, prepare_estimates
from gemischt.operations.workspace import Workspace


@contextmanager
def opened(data: Path) -> Iterator[Workspace]:
    workspace = Workspace(data)
    try:
        yield workspace
    finally:
        workspace.close()


def measure_files(files: list[str], *, as_json: bool) -> None:
    """Measure levels and loudness of audio files."""
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


def measure_stages(session: str, *, data: Path, as_json: bool, csv: bool) -> None:
    """Measure every stage of a session."""
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


def findings(session: str, *, data: Path, as_json: bool) -> None:
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


def moves(session: str, *, data: Path, as_json: bool) -> None:
    """List what moves over a session's song: between which values, from when to when."""
    with opened(data) as workspace:
        mix = locate_session(workspace, session).session
    if as_json:
        print(json.dumps([move.model_dump(mode="json") for move in mix.moves]))
        return
    for move in mix.moves:
        curve = curve_of(mix, move)
        values = [curve.parameter.show(point.value) for point in move.points]
        span = f"{move.points[0].at_s:.2f} to {move.points[-1].at_s:.2f} s"
        ways = " to ".join(dict.fromkeys((values[0], values[-1])))
        off = "" if move.on else ", off"
        print(f"{name_of(mix, move.target)}: {ways}, {len(values)} points, {span}{off}")
    if not mix.moves:
        print(f"{mix.name}: nothing moves")


def ducks(session: str, *, data: Path, as_json: bool) -> None:
    """Say what makes room for what, and what it measures over the whole song."""
    with opened(data) as workspace:
        mix = locate_session(workspace, session).session
        media = workspace.open_media(mix).samples
        in_song = strips_in_song(workspace, mix, media)
        found = []
        for relation in relations_of(mix):
            works = relation.targets and relation.on
            heard = report_duck(mix, media, relation, in_song=in_song) if works else None
            found.append((relation, heard))
    if as_json:
        written = [
            {
                "id": relation.id,
                "kind": relation.kind,
                "on": relation.on,
                "sentence": relation.sentence,
                "figures": None if heard is None else report_to_json(heard.figures),
            }
            for relation, heard in found
        ]
        print(json.dumps(written))
        return
    for relation, heard in found:
        print(relation.sentence if relation.on else f"{relation.sentence} (off)")
        if heard is not None:
            figures = heard.figures
            print(
                f"  deepest {figures.deepest_db:.1f} dB, typical {figures.typical_db:.1f} dB, "
                f"{figures.hits} hits, down {100 * figures.ducked_share:.0f} % of the time. {heard.verdict}."
            )
    if not found:
        print(f"{mix.name}: nothing makes room for anything")


def stage(session: str, *, data: Path, as_json: bool) -> None:
    """Say where each strip of a session is heard."""
    with opened(data) as workspace, progress_bar("Measuring") as progress:
        mix = locate_session(workspace, session).session
        found = stage_of_session(workspace, mix, progress)
    if as_json:
        print(json.dumps([{"strip": strip, **report_to_json(place)} for strip, place in found.items()]))
        return
    for strip_id, place in found.items():
        print(f"{mix.strip(strip_id).name}: {_place_in_words(place)}")


def _place_in_words(place: StagePlace) -> str:
    wet = "dry" if place.wet_db is None else f"{place.wet_db:.0f} dB wet"
    if place.bed is not None:
        spread = "" if place.bed.spread_deg is None else f", {place.bed.spread_deg:.0f}° wide"
        where = f"{place.bed.azimuth_deg:.0f}° around, {place.bed.elevation_deg:.0f}° up{spread}"
        return f"{where}, loses {place.mono_loss_db:.1f} dB in mono, folded down, {wet}"
    correlation = "" if place.correlation is None else f", correlation {place.correlation:.2f}"
    where = f"{position_to_side(place.position)}, {100 * place.reach:.0f} % wide"
    return f"{where}{correlation}, loses {place.mono_loss_db:.1f} dB in mono, {wet}"


def tempo(session: str, *, estimate: str | None, set_bpm: float | None, data: Path, as_json: bool) -> None:
    """Show a session's tempo, estimate it from a strip, or set its first."""
    with opened(data) as workspace:
        if estimate is not None:
            mix = locate_session(workspace, session).session
            with progress_bar("Listening") as progress:
                media = workspace.open_media(mix).samples
                found = estimate_strip(mix, media, _strip_id(mix, estimate), progress)
            first = f"{found['first_beat_s']:.3f} s"
            words = f"{estimate}: {found['bpm']:g} bpm, sure by {found['confidence']:.0%}, first beat at {first}"
            print(json.dumps(found) if as_json else words)
            return
        if set_bpm is not None:
            stored = workspace.sessions.find(session)
            changed = [change.model_dump() for change in stored.session.tempo]
            changed[0]["bpm"] = set_bpm
            workspace.edit(stored.id, stored.revision, parse_action({"type": "set-tempo", "tempo": changed}))
        mix = locate_session(workspace, session).session
    if as_json:
        print(json.dumps([change.model_dump(mode="json") for change in mix.tempo]))
        return
    grid = BeatGrid(mix.tempo)
    for change in mix.tempo:
        place = grid.place(change.at_s)
        print(f"from {place} ({change.at_s:.3f} s): {change.beat} = {change.bpm:g}, {change.metre}")


def import_midi(session: str, path: Path, *, data: Path) -> None:
    """Take tempo, metre, markers and notes of a MIDI file into a session of the data folder."""
    with opened(data) as workspace:
        stored = workspace.sessions.find(session)
        _check_is_file(path)
        after = workspace.edit(stored.id, stored.revision, midi_action(path.read_bytes(), path.name)).session
    notes = sum(len(track.notes) for track in after.note_tracks)
    print(f"{after.name}: {len(after.tempo)} tempos, {len(after.sections)} sections, {notes} notes")


def import_files(session: str, files: list[Path], *, data: Path, apart: bool = False) -> None:
    """Bring audio files into a session of the data folder, one track each, or *apart* one for each channel."""
    failed = False
    with opened(data) as workspace:
        stored = workspace.sessions.find(session)
        tracks: list[NewTrack] = []
        for path in files:
            try:
                _check_is_file(path)
                if not tracks:
                    stored = with_rate_of(workspace, stored, path, path.name)
                rate = stored.session.sample_rate_hz
                with progress_bar(path.name) as progress:
                    tracks += import_tracks(
                        workspace, path, path.name, sample_rate_hz=rate, apart=apart, progress=progress
                    )
            except GemischtError as error:
                errors.print(str(error), markup=False)
                failed = True
        if tracks:
            workspace.edit(stored.id, stored.revision, AddTracks(tracks=tuple(tracks), tidy=True))
            print(f"{stored.session.name}: {len(tracks)} tracks added")
    if failed:
        sys.exit(1)


def export(session: str, output: Path, *, data: Path) -> None:
    """Write a session with its audio as open files."""
    with opened(data) as workspace:
        print(export_session(workspace, locate_session(workspace, session).session, output))


def validate(session: str, *, data: Path, as_json: bool) -> None:
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
        sys.exit(1)
    if not as_json:
        print(f"{session}: sound")


def paths(session: str, strip: str, *, from_s: float | None, to_s: float | None, data: Path, as_json: bool) -> None:
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


def schema() -> None:
    """Print the JSON Schema of session files."""
    print(json.dumps(Session.model_json_schema(by_alias=True), indent=1, sort_keys=True))


def parameters() -> None:
    """Print every parameter's range and unit, and usual note values, as JSON."""
    print(json.dumps(catalogue().model_dump(mode="json"), indent=1, sort_keys=True))


def prepare(*, estimates: bool) -> None:
    """Compile the kernels, so that the first start is quick, or what the first estimate would wait for."""
    if estimates:
        prepare_estimates()
    else:
        print(f"{prepare_kernels()} kernels are ready")


def _check_is_file(path: Path) -> None:
    if not path.is_file():
        raise GemischtError("there is no such file", where=str(path), remedy="Check the path.")


def _strip_id(session: Session, name_or_id: str) -> str:
    for strip in session.strips:
        if name_or_id in (strip.id, strip.name):
            return strip.id
    raise NotFound("no such strip in the session", where=name_or_id, remedy="Give a strip's name or id.")


def _show(level: float | None) -> str:
    return "none" if level is None else f"{level:.1f}"
