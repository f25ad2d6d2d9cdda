"""Levels and loudness of files."""

from pathlib import Path
from typing import Any

import numpy as np

from gemischt.core.errors import BadAudio
from gemischt.core.metering.summary import Summary, summarize
from gemischt.core.space.layout import LAYOUTS
from gemischt.operations.reports import report_to_json
from gemischt.storage.audio_reading import inspect_audio, read_blocks
from gemischt.storage.wave_speakers import speakers_of_file


def measure_file(path: Path) -> Summary:
    """Measure an audio file; BadAudio if it is not usable."""
    if not path.is_file():
        raise BadAudio("there is no such file", where=str(path), remedy="Check the path.")
    info = inspect_audio(path, str(path))
    layout, _ = speakers_of_file(path, str(path), info.channels)
    blocks = (np.ascontiguousarray(block.T, dtype=np.float64) for block in read_blocks(path, str(path)))
    return summarize(blocks, sample_rate_hz=info.samplerate, layout=LAYOUTS[layout])


def summary_to_json(summary: Summary) -> dict[str, Any]:
    """The summary with null for what does not exist."""
    written: dict[str, Any] = report_to_json(summary)
    return written
