"""A matrix of four gains between two sides."""

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.control import Control, Row
from gemischt.core.dsp.mixing import apply_matrix_in_place
from gemischt.core.dsp.table import Call
from gemischt.core.processors.base import BlockProcessor, Place
from gemischt.core.processors.matrix_params import MatrixParams


class MatrixProcessor(BlockProcessor):
    """Two sides, gliding. One channel counts as a left one, of which left is kept."""

    def __init__(self, place: Place, audio: Audio) -> None:
        self._n_channels = n = place.n_channels
        control = Control(n * n, place.max_block, place.glide_samples)
        before = np.zeros((n, place.max_block))
        self.controls = (control,)
        self.calls = (Call(apply_matrix_in_place, audio, before, control.pieces, control.coefs),)

    def coefs_of(self, params: MatrixParams, *, on: bool) -> tuple[Row, ...]:
        matrix = np.array(params.rows if on else MatrixParams().rows)
        return (matrix[: self._n_channels, : self._n_channels].ravel(),)
