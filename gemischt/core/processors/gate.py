"""The gate: what lies below a threshold is turned down, by its own or another signal's level."""

import numpy as np
from numpy.typing import NDArray

from gemischt.core.control import Control, Row
from gemischt.core.dsp import dynamics, gating
from gemischt.core.dsp.table import Call
from gemischt.core.processors.base import Application, ControlSignal, Detection, GainShaper, Place, row
from gemischt.core.processors.gate_params import GateParams
from gemischt.core.units import ms_to_samples, time_constant_to_coefficient

_SHUT_DB = 120.0
_ENDLESS = 1000.0


def _most_db(params: GateParams) -> float:
    return _SHUT_DB if params.range_db is None else params.range_db


def _slope(params: GateParams) -> float:
    return _ENDLESS if params.ratio is None else params.ratio - 1.0


def static_curve_db(params: GateParams, inputs_db: NDArray[np.float64]) -> NDArray[np.float64]:
    """Output level for each steady input level that has come from below; shape as ``inputs_db``."""
    under = np.maximum(0.0, params.threshold_db - inputs_db)
    outputs_db: NDArray[np.float64] = inputs_db - np.minimum(_slope(params) * under, _most_db(params))
    return outputs_db


class GateShaper(GainShaper):
    """Closed until something is loud enough. State: the last reduction and how long it stays open, per channel."""

    def __init__(self, place: Place, levels: ControlSignal, reduction: ControlSignal) -> None:
        self._sample_rate_hz = place.sample_rate_hz
        self._lookahead_samples = place.latency_samples
        control = Control(gating.N_COEFS, place.max_block, place.glide_samples, first_stepped=gating.HOLD)
        smoothed_db = np.zeros(place.n_channels)
        held = np.full(place.n_channels, gating.CLOSED, np.int64)
        wanted = (reduction.rows, reduction.streams)
        moving = (control.pieces, control.coefs)
        self.controls = (control,)
        self.state = ((smoothed_db, held),)
        self.calls = (
            Call(dynamics.count_streams, levels.streams, reduction.streams, smoothed_db, held),
            Call(gating.gate_reduction_db, levels.rows, levels.streams, *wanted, *moving, smoothed_db, held),
        )

    @staticmethod
    def latency_of(params: GateParams, sample_rate_hz: int) -> int:
        return ms_to_samples(params.lookahead_ms, sample_rate_hz)

    @staticmethod
    def detection_of(params: GateParams) -> Detection:
        return Detection(float(params.detector == "rms"), params.stereo_link, params.rms_ms)

    @staticmethod
    def application_of(params: GateParams, *, on: bool) -> Application:
        return Application(0.0, 1.0 if on else 0.0)

    def coefs_of(self, params: GateParams) -> tuple[Row, ...]:
        rate = self._sample_rate_hz
        return (
            row(
                params.threshold_db,
                _slope(params),
                _most_db(params),
                params.hysteresis_db,
                time_constant_to_coefficient(params.attack_ms, rate),
                time_constant_to_coefficient(params.release_ms, rate),
                # What opens early has to stay open until the end of what it opens for.
                ms_to_samples(params.hold_ms, rate) + self._lookahead_samples,
            ),
        )
