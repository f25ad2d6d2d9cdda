"""The array contract: audio is float64, shape (n_channels, n_samples), C-contiguous."""

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

Audio: TypeAlias = NDArray[np.float64]
"""Shape (n_channels, n_samples), full scale at 1.0."""

MediaSamples: TypeAlias = NDArray[np.float32]
"""Decoded file: shape (n_samples, n_channels), read-only, at the session's sample rate."""

Single: TypeAlias = NDArray[np.float32]
"""Single precision inside a kernel, where nothing is fed back."""

Integers: TypeAlias = NDArray[np.int32]
"""Frames as a file of integers holds them, shape (n_samples, n_channels)."""

Counts: TypeAlias = NDArray[np.int64]
"""Integer state: positions and counts of samples."""


def as_media(audio: Audio) -> MediaSamples:
    """Audio as a decoded file holds it: interleaved float32, read-only."""
    samples = np.ascontiguousarray(audio.T, dtype=np.float32)
    samples.setflags(write=False)
    return samples
