"""The array contract: audio is float64, shape (n_channels, n_samples), C-contiguous."""

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from gemischt.core.errors import BadAudio

Audio: TypeAlias = NDArray[np.float64]
"""Shape (n_channels, n_samples), full scale at 1.0."""

MediaSamples: TypeAlias = NDArray[np.float32]
"""Decoded file: shape (n_samples, n_channels), read-only, at the session's sample rate."""


Counts: TypeAlias = NDArray[np.int64]
"""Integer state: positions and counts of samples."""


def as_media(audio: Audio) -> MediaSamples:
    """Audio as a decoded file holds it: interleaved float32, read-only."""
    samples = np.ascontiguousarray(audio.T, dtype=np.float32)
    samples.setflags(write=False)
    return samples


def check_audio(audio: Audio, *, where: str) -> None:
    """Raise BadAudio unless the array is finite audio of at least one channel and one sample."""
    if audio.ndim != 2 or audio.shape[0] < 1 or audio.shape[1] < 1:
        raise BadAudio(f"audio must be shaped (channels, samples), got {audio.shape}", where=where)
    if not np.isfinite(audio).all():
        raise BadAudio("audio holds values that are not numbers", where=where)
