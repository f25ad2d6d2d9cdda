"""Measuring sessions of a data folder: the ladder and the findings as JSON."""

import dataclasses
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from typing import Any

import numpy as np

from gemischt.core.analysis.findings import Finding, Situation, examine
from gemischt.core.analysis.measurement.results import SongMeasurement, StripMeasurement
from gemischt.core.analysis.measurement.song import fingerprints_of, measure_song
from gemischt.core.analysis.reports.gain_ladder import ladder_ends
from gemischt.core.analysis.reports.stage import stage_of
from gemischt.core.analysis.reports.stage_place import StagePlace
from gemischt.core.analysis.sub_sessions.strip import InSong, strip_in_song
from gemischt.core.data import bs1770
from gemischt.core.engine.tap_reader import Media, StretchS
from gemischt.core.session.document import Session
from gemischt.operations.priority import step_back
from gemischt.operations.reports import report_to_json
from gemischt.operations.side_by_side import SideBySide
from gemischt.operations.workspace import Workspace
from gemischt.storage.audio_files import Progress, no_progress
from gemischt.storage.glances import Glance
from gemischt.storage.sessions import StoredSession

_THREADS = 3
"""One more than two cores can use at once: one often waits for what another renders."""


def measure_session(workspace: Workspace, session: Session, progress: Progress = no_progress) -> SongMeasurement:
    """Measure a session, using again what was rendered and measured before, behind playback."""
    media = workspace.open_media(session)
    hashes = _hashes(session)
    # One at a time: whoever waits finds what the others rendered.
    with (
        workspace.measuring,
        ThreadPoolExecutor(_THREADS, thread_name_prefix="measure", initializer=step_back) as pool,
    ):
        return measure_song(session, media.samples, hashes, workspace.renders, report=progress, team=SideBySide(pool))


def examine_session(
    workspace: Workspace, session: Session, measurement: SongMeasurement, progress: Progress = no_progress
) -> list[Finding]:
    """Everything found in a measured session."""
    situation = Situation(session, workspace.open_media(session).samples, measurement, workspace.renders)
    return examine(situation, report=progress)


def strips_in_song(workspace: Workspace, session: Session, media: Media) -> InSong:
    """Each strip of a session alone, as far as what it plays was rendered before."""
    prints = fingerprints_of(session, media, _hashes(session))
    return partial(strip_in_song, session, media, prints, workspace.renders)


def stage_of_session(workspace: Workspace, session: Session, progress: Progress = no_progress) -> dict[str, StagePlace]:
    """Where each strip of a session is heard, measured first if it has to be."""
    measurement = measure_session(workspace, session, lambda share: progress(0.7 * share))
    media = workspace.open_media(session).samples
    in_song = strips_in_song(workspace, session, media)
    return stage_of(
        session, media, measurement, workspace.renders, in_song, report=lambda share: progress(0.7 + 0.3 * share)
    )


def _hashes(session: Session) -> dict[str, str]:
    return {item.id: item.sha256 for item in session.media}


def mix_loudness_lufs(session: Session, measurement: SongMeasurement, stretch_s: StretchS | None = None) -> float:
    """Integrated loudness of a measured session's mix, the whole or a stretch.

    A stretch that is shorter than one gating block (400 ms) has none of its own and counts as the whole.
    """
    if stretch_s is not None:
        start_s, end_s = stretch_s
        end = measurement.duration_s if end_s is None else min(end_s, measurement.duration_s)
        if end - start_s >= bs1770.GATING_BLOCK_S:
            return measurement.curve.integrated_lufs(start_s, end_s)
    return measurement.strips[session.mix.id].stage("post-fader").integrated_lufs


def measurement_to_json(session: Session, measurement: SongMeasurement) -> dict[str, Any]:
    """The gain ladder and the mix's curve."""
    ends = ladder_ends(session, measurement)
    strips = {
        strip_id: strip_to_json(strip) | dataclasses.asdict(ends[strip_id])
        for strip_id, strip in measurement.strips.items()
    }
    curve = measurement.curve
    return {
        "duration_s": measurement.duration_s,
        "peaks": list(curve.peaks),
        "short_term_lufs": list(curve.short_term_lufs),
        "rendered": measurement.rendered,
        "strips": strips,
    }


def strip_to_json(strip: StripMeasurement) -> dict[str, Any]:
    """A strip's stages in order, the index of the first that clips, what its compressors did, its stereo figures."""
    return {
        "stages": [
            {"name": stage.name, "processor": stage.processor, "lane": stage.lane, **report_to_json(stage.levels)}
            for stage in strip.stages
        ],
        "clips_at": strip.clips_at,
        "reductions": report_to_json(strip.reductions),
        "stereo": report_to_json(strip.stereo),
    }


def finding_to_json(finding: Finding) -> dict[str, Any]:
    """A finding with its id and the key of its evidence."""
    written: dict[str, Any] = report_to_json(finding)
    return written | {"id": finding.id, "evidence_key": finding.evidence_key, "figures": dict(finding.figures)}


GLANCE_BINS = 120


def glance_of(stored: StoredSession, measured: Mapping[str, Any]) -> Glance:
    """What a list shows of a measured session, from its measurement as JSON."""
    stages = measured["strips"][stored.session.mix.id]["stages"]
    peaks = np.array(measured["peaks"], float)
    edges = np.linspace(0, len(peaks), GLANCE_BINS, endpoint=False).astype(int)
    heights = np.maximum.reduceat(peaks, edges) if len(peaks) >= GLANCE_BINS else peaks
    return Glance(
        revision=stored.revision,
        duration_s=measured["duration_s"],
        integrated_lufs=stages[-1]["integrated_lufs"],
        findings=len(measured["findings"]),
        peaks=tuple(round(float(height), 3) for height in heights),
    )
