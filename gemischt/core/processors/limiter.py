"""The limiter: true peaks stay under a ceiling."""

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.control import Control, Row
from gemischt.core.dsp import limiting
from gemischt.core.dsp.table import Call
from gemischt.core.processors.base import BlockProcessor, Place, ReducesGain, row
from gemischt.core.processors.limiter_params import LimiterParams
from gemischt.core.units import db_to_gain, gain_to_db, ms_to_samples, time_constant_to_coefficient


class Limiter(BlockProcessor, ReducesGain):
    """Limits all channels by one gain. State: see core.dsp.limiting; at rest every gain is 1."""

    def __init__(self, place: Place, audio: Audio) -> None:
        self._sample_rate_hz = place.sample_rate_hz
        lookahead = place.latency_samples - limiting.INTERPOLATOR_LAG_SAMPLES
        window = lookahead + 2
        control = Control(4, place.max_block, place.glide_samples)
        history = np.zeros((place.n_channels, limiting.KEPT_SAMPLES), np.float32)
        queue, queue_clock = np.ones(window), np.zeros(window, np.int64)
        averaged = np.ones(lookahead)
        counts, sums = np.zeros(4, np.int64), np.array([1.0, float(lookahead)])
        ring, ring_at = np.zeros((place.n_channels, place.latency_samples)), np.zeros(1, np.int64)
        self._gains = np.ones((1, place.max_block))
        self.controls = (control,)
        lasting = (history, queue, queue_clock, averaged, counts, sums, ring, ring_at)
        self.state = (lasting,)
        filters = limiting.FILTERS
        moving = (control.pieces, control.coefs)
        self.calls = (Call(limiting.limit, audio, self._gains, *moving, *filters, *lasting),)

    @staticmethod
    def latency_of(params: LimiterParams, sample_rate_hz: int) -> int:
        return ms_to_samples(params.lookahead_ms, sample_rate_hz) + limiting.INTERPOLATOR_LAG_SAMPLES

    def coefs_of(self, params: LimiterParams, *, on: bool) -> tuple[Row, ...]:
        drive = db_to_gain(params.input_db) if on else 1.0
        release = time_constant_to_coefficient(params.release_ms, self._sample_rate_hz)
        return (row(db_to_gain(params.ceiling_dbtp), drive, float(on), release),)

    def loudest_detected_db(self, n_samples: int, first: int = 0) -> None:
        return None

    def deepest_reduction_db(self, n_samples: int, first: int = 0) -> float:
        return -gain_to_db(float(self._gains[0, first:n_samples].min()))
