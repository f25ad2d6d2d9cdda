"""Level, polarity, and which side goes where."""

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.dsp.mixing import apply_matrix_in_place, start_ramp
from gemischt.core.processors.base import Place
from gemischt.core.processors.gain_params import GainParams
from gemischt.core.units import db_to_gain

_ROUTES = {
    "as-is": [[1.0, 0.0], [0.0, 1.0]],
    "swap": [[0.0, 1.0], [1.0, 0.0]],
    "mono": [[0.5, 0.5], [0.5, 0.5]],
    "left": [[1.0, 0.0], [1.0, 0.0]],
    "right": [[0.0, 1.0], [0.0, 1.0]],
}


def gain_matrix(params: GainParams, n_channels: int) -> NDArray[np.float64]:
    """What comes out of what goes in, (n_channels, n_channels). One channel counts as a left one."""
    signs = np.array([-1.0 if params.left_inverted else 1.0, -1.0 if params.right_inverted else 1.0])
    if n_channels == 1:
        return np.array([[db_to_gain(params.level_db) * signs[0]]])
    matrix: NDArray[np.float64] = (
        db_to_gain(params.level_db) * signs[:, np.newaxis] * np.array(_ROUTES[params.channels])
    )
    return matrix


class GainProcessor:
    """A gliding 2x2 matrix. State: ``_ramp`` (2, n, n) targets and steps; ``_remaining`` samples of the glide."""

    def __init__(self, place: Place) -> None:
        self._place = place
        n = place.n_channels
        self._ramp = np.zeros((2, n, n))
        self._remaining = np.zeros(1, np.int64)

    @staticmethod
    def latency_of(params: GainParams, sample_rate_hz: int) -> int:
        return 0

    @staticmethod
    def tail_of(params: GainParams, sample_rate_hz: int) -> int:
        return 0

    def set(self, params: GainParams, *, on: bool, glide: bool) -> None:
        target = gain_matrix(params if on else GainParams(), self._place.n_channels)
        start_ramp(self._ramp, self._remaining, target, self._place.glide_samples if glide else 0)

    def process(self, audio: Audio, detector: Audio, n_samples: int) -> None:
        apply_matrix_in_place(audio, n_samples, self._ramp, self._remaining)

    def take_over(self, other: "GainProcessor") -> None:
        if self._ramp.shape == other._ramp.shape:
            self._ramp[:] = other._ramp
            self._remaining[:] = other._remaining
