"""Level, polarity, and which side goes where."""

import numpy as np
from numpy.typing import NDArray

from gemischt.core.control import Row
from gemischt.core.processors.gain_params import GainParams
from gemischt.core.processors.gliding_matrix import GlidingMatrix
from gemischt.core.units import db_to_gain

_ROUTES = {
    "as-is": [[1.0, 0.0], [0.0, 1.0]],
    "swap": [[0.0, 1.0], [1.0, 0.0]],
    "mono": [[0.5, 0.5], [0.5, 0.5]],
    "left": [[1.0, 0.0], [1.0, 0.0]],
    "right": [[0.0, 1.0], [0.0, 1.0]],
}


def gain_matrix(params: GainParams, n_channels: int) -> NDArray[np.float64]:
    """What comes out of what goes in, (n_channels, n_channels). One channel counts as a left one; more than two have no
    sides that could be turned or swapped."""
    if n_channels > 2:
        return db_to_gain(params.level_db) * np.eye(n_channels)
    signs = np.array([-1.0 if params.left_inverted else 1.0, -1.0 if params.right_inverted else 1.0])
    if n_channels == 1:
        return np.array([[db_to_gain(params.level_db) * signs[0]]])
    matrix: NDArray[np.float64] = (
        db_to_gain(params.level_db) * signs[:, np.newaxis] * np.array(_ROUTES[params.channels])
    )
    return matrix


class GainProcessor(GlidingMatrix):
    """A gliding matrix."""

    def coefs_of(self, params: GainParams, *, on: bool) -> tuple[Row, ...]:
        return (gain_matrix(params if on else GainParams(), self.n_channels).ravel(),)
