"""A matrix of four gains between two sides."""

import numpy as np

from gemischt.core.control import Row
from gemischt.core.processors.gliding_matrix import GlidingMatrix
from gemischt.core.processors.matrix_params import MatrixParams


class MatrixProcessor(GlidingMatrix):
    """Two sides, gliding. One channel counts as a left one, of which left is kept."""

    def coefs_of(self, params: MatrixParams, *, on: bool) -> tuple[Row, ...]:
        matrix = np.array(params.rows if on else MatrixParams().rows)
        return (matrix[: self.n_channels, : self.n_channels].ravel(),)
