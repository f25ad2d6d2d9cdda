"""What a goniometer draws of two channels, and how alike they were of late."""

import math

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio

N_PAIRS = 96
"""Pairs of samples per block: enough to show a figure, few enough to be told beside every block."""
MEMORY_S = 0.3
"""Time constant in which what was heard is forgotten."""


class StereoScope:
    """Pairs of samples, thinned, and the correlation of left and right.

    State: sums of left times left, right times right and left times right (3,), each fading by ``MEMORY_S``.
    """

    def __init__(self, sample_rate_hz: int) -> None:
        self._sample_rate_hz = sample_rate_hz
        self._sums = np.zeros(3)

    def process(self, pair: Audio) -> NDArray[np.float32]:
        """Of a block (2, n_samples): the correlation, -1 ... 1, 0 for silence; then left and right of ``N_PAIRS``."""
        left, right = pair
        faded = math.exp(-len(left) / (MEMORY_S * self._sample_rate_hz))
        self._sums = faded * self._sums + (left @ left, right @ right, left @ right)
        lefts, rights, both = self._sums
        most = math.sqrt(lefts * rights)
        correlation = both / most if most > 0.0 else 0.0
        at = np.arange(N_PAIRS) * len(left) // N_PAIRS
        return np.concatenate(([correlation], pair[:, at].ravel())).astype(np.float32)
