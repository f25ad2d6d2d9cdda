"""The compressor: what exceeds a threshold is turned down.

Reference: Giannoulis, Massberg and Reiss, JAES 60(6), 2012 (see core.dsp.dynamics).
"""

import numpy as np
from numpy.typing import NDArray

from gemischt.core.control import Control, Row
from gemischt.core.dsp import dynamics
from gemischt.core.dsp.table import Call
from gemischt.core.processors.base import Application, ControlSignal, Detection, GainShaper, Place, row
from gemischt.core.processors.compressor_params import CompressorParams
from gemischt.core.units import ms_to_samples, time_constant_to_coefficient

_UNLIMITED_RANGE_DB = 400.0
_CREST_MS = 200.0
_ANY_RATE_HZ = 48000
"""The static curve does not depend on it."""


def slope_of(ratio: float | None) -> float:
    """Reduction per dB of overshoot: 1 - 1/ratio; an endless ratio gives 1."""
    return 1.0 if ratio is None else 1.0 - 1.0 / ratio


def coefs_of(params: CompressorParams, sample_rate_hz: int) -> Row:
    """The coefficients in the order of core.dsp.dynamics."""
    return row(
        params.threshold_db,
        slope_of(params.ratio),
        params.knee_db,
        _UNLIMITED_RANGE_DB if params.range_db is None else params.range_db,
        time_constant_to_coefficient(params.attack_ms, sample_rate_hz),
        time_constant_to_coefficient(params.release_ms, sample_rate_hz),
        time_constant_to_coefficient(_CREST_MS, sample_rate_hz),
        ms_to_samples(params.hold_ms, sample_rate_hz),
        float(params.release == "follows"),
    )


def static_curve_db(params: CompressorParams, inputs_db: NDArray[np.float64]) -> NDArray[np.float64]:
    """Output level for each steady input level, make-up and mix left out; shape as ``inputs_db``."""
    reduction = np.zeros((1, len(inputs_db)))
    resting = coefs_of(params, _ANY_RATE_HZ)[np.newaxis]
    levels = np.ascontiguousarray(inputs_db, dtype=np.float64)[np.newaxis]
    no_pieces, one_stream = np.zeros((1, 3), np.int64), np.ones(1, np.int64)
    dynamics.compute_reduction_db(levels, one_stream, reduction, one_stream, len(inputs_db), no_pieces, resting)
    outputs_db: NDArray[np.float64] = inputs_db - reduction[0]
    return outputs_db


class CompressorShaper(GainShaper):
    """What exceeds the threshold is turned down. State: the last reduction, the hold left, and the squares that the
    crest factor is made of, per channel."""

    def __init__(self, place: Place, levels: ControlSignal, reduction: ControlSignal) -> None:
        self._sample_rate_hz = place.sample_rate_hz
        self._lookahead_samples = place.latency_samples
        control = Control(dynamics.N_COEFS, place.max_block, place.glide_samples, first_stepped=dynamics.HOLD)
        moving = (control.pieces, control.coefs)
        smoothed_db, held = np.zeros(place.n_channels), np.zeros(place.n_channels, np.int64)
        squares = np.zeros((place.n_channels, 2))
        heard, wanted = (levels.rows, levels.streams), (reduction.rows, reduction.streams)
        self.controls = (control,)
        self.state = ((smoothed_db, held, squares),)
        self.calls = (
            Call(dynamics.count_streams, levels.streams, reduction.streams, smoothed_db, held),
            Call(dynamics.compute_reduction_db, *heard, *wanted, *moving),
            Call(dynamics.smooth_reduction, *heard, *wanted, *moving, smoothed_db, held, squares),
        )

    @staticmethod
    def latency_of(params: CompressorParams, sample_rate_hz: int) -> int:
        return ms_to_samples(params.lookahead_ms, sample_rate_hz)

    @staticmethod
    def detection_of(params: CompressorParams) -> Detection:
        return Detection(float(params.detector == "rms"), params.stereo_link, params.rms_ms)

    @staticmethod
    def application_of(params: CompressorParams, *, on: bool) -> Application:
        return Application(params.makeup_db, params.mix if on else 0.0)

    def coefs_of(self, params: CompressorParams) -> tuple[Row, ...]:
        coefs = coefs_of(params, self._sample_rate_hz)
        # What is decided early has to last until the end of what it was decided for.
        coefs[dynamics.HOLD] += self._lookahead_samples
        return (coefs,)
