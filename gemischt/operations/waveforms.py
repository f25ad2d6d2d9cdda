"""Waveforms of files, to draw clips with."""

import numpy as np

from gemischt.operations.workspace import Workspace

BINS_PER_S = 20
_CHUNK_BINS = 2048


def waveform(workspace: Workspace, sha256: str, sample_rate_hz: int) -> list[float]:
    """Highest magnitude of any channel in each twentieth of a second, linear; NotFound for an unknown file."""
    mapped = workspace.audio.samples(sha256, sample_rate_hz)
    samples = mapped.samples
    per_bin = sample_rate_hz // BINS_PER_S
    peaks: list[float] = []
    for start in range(0, len(samples), per_bin * _CHUNK_BINS):
        chunk = np.abs(samples[start : start + per_bin * _CHUNK_BINS]).max(axis=1)
        edges = np.arange(0, len(chunk), per_bin)
        peaks.extend(round(float(peak), 3) for peak in np.maximum.reduceat(chunk, edges))
    mapped.release_pages()
    return peaks
