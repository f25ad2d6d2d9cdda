"""Levels and loudness of files."""

from pathlib import Path
from typing import Any

import numpy as np

from gemischt.core.errors import BadAudio
from gemischt.core.metering.level_steps import SPARE_SAMPLES
from gemischt.core.metering.song_curve import SongCurve
from gemischt.core.metering.stage_meter import StageMeters
from gemischt.core.metering.summary import Summary, summarize
from gemischt.core.space.layout import LAYOUTS
from gemischt.core.units import heard_or_none
from gemischt.operations.reports import report_to_json
from gemischt.storage.audio_reading import inspect_audio, read_blocks
from gemischt.storage.wave_speakers import speakers_of_file

CURVE_BINS = 1200


def measure_file(path: Path) -> Summary:
    """Measure an audio file; BadAudio if it is not usable."""
    if not path.is_file():
        raise BadAudio("there is no such file", where=str(path), remedy="Check the path.")
    info = inspect_audio(path, str(path))
    layout, _ = speakers_of_file(path, str(path), info.channels)
    blocks = (np.ascontiguousarray(block.T, dtype=np.float64) for block in read_blocks(path, str(path)))
    return summarize(blocks, sample_rate_hz=info.samplerate, layout=LAYOUTS[layout])


def summary_from_json(written: dict[str, Any]) -> Summary:
    """The summary that was written so: what is missing is silent."""
    levels = {name for name in written if name.endswith(("_dbfs", "_dbtp", "_lufs"))}
    whole: dict[str, Any] = {
        name: -np.inf if value is None and name in levels else value for name, value in written.items()
    }
    return Summary(**whole)


def file_curve(path: Path) -> tuple[float, list[float], list[float | None]]:
    """A file along its length: its duration in seconds, the magnitude in each of CURVE_BINS parts, and the short-term
    loudness at each of them, None where it is silent; BadAudio if it is not usable."""
    info = inspect_audio(path, path.name)
    layout, _ = speakers_of_file(path, path.name, info.channels)
    curve = SongCurve(info.frames, CURVE_BINS)
    meters = StageMeters(info.samplerate, (LAYOUTS[layout],))
    rows = meters.new_rows(0)
    for block in read_blocks(path, path.name):
        n_samples = len(block)
        if rows.shape[1] < n_samples + SPARE_SAMPLES:
            rows = meters.new_rows(n_samples)
        rows[meters.rows_of(0), :n_samples] = block.T
        curve.process(np.ascontiguousarray(block.T, dtype=np.float32), n_samples)
        meters.process(rows, n_samples)
    loudness = meters.short_term_lufs(0)
    places = np.linspace(0, max(0, len(loudness) - 1), CURVE_BINS).astype(int)
    short_term = [heard_or_none(round(float(value), 2)) for value in loudness[places]] if len(loudness) else []
    return info.frames / info.samplerate, [round(float(peak), 4) for peak in curve.peaks], short_term


def summary_to_json(summary: Summary) -> dict[str, Any]:
    """The summary with null for what does not exist."""
    written: dict[str, Any] = report_to_json(summary)
    return written
