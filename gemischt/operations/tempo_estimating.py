"""How fast a strip is, to be offered and never applied by itself."""

from dataclasses import asdict
from typing import Any

import numpy as np
import soxr

from gemischt.core.analysis.tempo import RATE_HZ, TempoEstimate, estimate_tempo
from gemischt.core.audio import Audio, MediaSamples
from gemischt.core.engine.buffer_names import work_buffer
from gemischt.core.engine.renderer import Renderer
from gemischt.core.engine.tap_reader import BLOCK_SAMPLES, Media, read_tap, stretch_of
from gemischt.core.errors import BadAudio
from gemischt.core.session.document import Session
from gemischt.core.session.edits import find_strip
from gemischt.storage.audio_files import Progress

_RENDERED = 0.6
"""The share of the work that is done once the strip was heard."""


def estimate_strip(session: Session, media: Media, strip_id: str, progress: Progress) -> dict[str, Any]:
    """The tempo of what a strip's fader gets, through the song: bpm, confidence 0 to 1, and its first beat.

    Raises:
        BadAudio: nothing begins often enough to count by.
    """
    name = find_strip(session, strip_id).name
    found = estimate_tempo(_heard(session, media, strip_id, lambda share: progress(_RENDERED * share)), RATE_HZ)
    progress(1.0)
    if found is None:
        raise BadAudio(
            "no beat was found in it", where=name, remedy="Choose a strip that marks the beat, or tap the tempo."
        )
    return asdict(found)


def prepare_estimates() -> None:
    """Compile what the first estimate would have to wait for half a minute."""
    clicks = np.zeros(8 * RATE_HZ)
    clicks[:: RATE_HZ // 2] = 1.0
    assert isinstance(estimate_tempo(clicks, RATE_HZ), TempoEstimate)


def _heard(session: Session, media: Media, strip_id: str, progress: Progress) -> Audio:
    """The middle of a strip's channels over the song, (n_samples,) at RATE_HZ."""
    stretch = stretch_of(session, media, None)
    if stretch.n_samples == 0:
        return np.zeros(0)
    renderer = Renderer(session, media, max_block=BLOCK_SAMPLES)
    stream = soxr.ResampleStream(session.sample_rate_hz, RATE_HZ, 1, dtype="float32", quality="HQ")
    parts: list[MediaSamples] = [
        stream.resample_chunk(block.mean(axis=0).astype(np.float32))
        for block in read_tap(renderer, stretch, work_buffer(strip_id), report=progress)
    ]
    parts.append(stream.resample_chunk(np.zeros(0, np.float32), last=True))
    return np.concatenate(parts).astype(np.float64)
