"""Waveform and loudness of the mix over the song."""

from dataclasses import dataclass

import numpy as np

from gemischt.core.engine.plan import Plan
from gemischt.core.engine.renderer import Renderer
from gemischt.core.metering.ballistics import FLOOR_DB
from gemischt.core.metering.loudness import LoudnessMeter
from gemischt.core.session.document import Session
from gemischt.operations.printing import watched_blocks
from gemischt.operations.workspace import OpenMedia
from gemischt.storage.audio_files import Progress, no_progress

N_BINS = 1200


@dataclass(frozen=True)
class Overview:
    """``peaks`` per bin, linear, the louder channel; ``short_term_lufs`` per bin, not below -150.

    ``strips`` holds each strip's highest sample at source, pre-fader and post-fader, dBFS, not below -150.
    """

    duration_s: float
    peaks: list[float]
    short_term_lufs: list[float]
    integrated_lufs: float
    strips: dict[str, list[float]]


def mix_overview(session: Session, media: OpenMedia, progress: Progress = no_progress) -> Overview:
    """Render the song once and sum it up in bins."""
    renderer = Renderer(session, media.samples)
    length = renderer.length_samples
    rate = session.sample_rate_hz
    peaks = np.zeros(N_BINS)
    loudness = np.full(N_BINS, FLOOR_DB)
    meter = LoudnessMeter(rate, 2)
    done = 0
    if length:
        for block in watched_blocks(session, media, renderer, 0, length, progress):
            meter.process(block, block.shape[1])
            bins = ((done + np.arange(block.shape[1])) * N_BINS) // length
            np.maximum.at(peaks, bins, np.abs(block).max(axis=0))
            loudness[bins[0] : bins[-1] + 1] = max(FLOOR_DB, meter.short_term_lufs)
            done += block.shape[1]
    return Overview(
        duration_s=length / rate,
        peaks=[round(float(peak), 4) for peak in peaks],
        short_term_lufs=[round(float(value), 1) for value in loudness],
        integrated_lufs=meter.integrated_lufs,
        strips=_strip_peaks_db(renderer.plan),
    )


def _strip_peaks_db(plan: Plan) -> dict[str, list[float]]:
    peaks = np.maximum(plan.meters[..., 0].max(axis=-1), 1e-12)
    levels = np.maximum(20.0 * np.log10(peaks), FLOOR_DB)
    return {
        strip_id: [round(float(level), 1) for level in row]
        for strip_id, row in zip(plan.blueprint.strips, levels, strict=True)
    }
