"""Level, polarity, and which side goes where."""

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.control import Control, Row
from gemischt.core.dsp.mixing import apply_matrix_in_place
from gemischt.core.dsp.table import Call
from gemischt.core.processors.base import BlockProcessor, Place
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


class GainProcessor(BlockProcessor):
    """A gliding matrix."""

    def __init__(self, place: Place, audio: Audio) -> None:
        self._n_channels = n = place.n_channels
        control = Control(n * n, place.max_block, place.glide_samples)
        before = np.zeros((n, place.max_block))
        self.controls = (control,)
        self.calls = (Call(apply_matrix_in_place, audio, before, control.pieces, control.coefs),)

    def coefs_of(self, params: GainParams, *, on: bool) -> tuple[Row, ...]:
        return (gain_matrix(params if on else GainParams(), self._n_channels).ravel(),)
