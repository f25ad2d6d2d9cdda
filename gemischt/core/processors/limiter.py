"""The limiter: true peaks stay under a ceiling."""

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.dsp import limiting
from gemischt.core.dsp.mixing import start_ramp
from gemischt.core.processors.base import Place
from gemischt.core.processors.limiter_params import LimiterParams
from gemischt.core.units import db_to_gain, gain_to_db, ms_to_samples, time_constant_to_coefficient


class Limiter:
    """Limits all channels by one gain. State: see core.dsp.limiting; at rest every gain is 1."""

    def __init__(self, place: Place) -> None:
        self._place = place
        lookahead = place.latency_samples - limiting.INTERPOLATOR_LAG_SAMPLES
        window = lookahead + 2
        self._history = np.zeros((place.n_channels, limiting.KEPT_SAMPLES), np.float32)
        self._queue = np.ones(window)
        self._queue_clock = np.zeros(window, np.int64)
        self._averaged = np.ones(lookahead)
        self._counts = np.zeros(5, np.int64)
        self._state = np.array([1.0, float(lookahead)])
        self._ring = np.zeros((place.n_channels, place.latency_samples))
        self._ramp = np.zeros((2, 3))
        self._remaining = np.zeros(1, np.int64)
        self._gains = np.ones((1, place.max_block))
        self._release = 0.0

    @staticmethod
    def latency_of(params: LimiterParams, sample_rate_hz: int) -> int:
        return ms_to_samples(params.lookahead_ms, sample_rate_hz) + limiting.INTERPOLATOR_LAG_SAMPLES

    @staticmethod
    def tail_of(params: LimiterParams, sample_rate_hz: int) -> int:
        return 0

    def set(self, params: LimiterParams, *, on: bool, glide: bool) -> None:
        target = np.array([db_to_gain(params.ceiling_dbtp), db_to_gain(params.input_db) if on else 1.0, float(on)])
        start_ramp(self._ramp, self._remaining, target, self._place.glide_samples if glide else 0)
        self._release = time_constant_to_coefficient(params.release_ms, self._place.sample_rate_hz)

    def process(self, audio: Audio, detector: Audio, n_samples: int) -> None:
        limiting.limit(
            audio,
            self._gains,
            n_samples,
            *limiting.FILTERS,
            self._history,
            self._queue,
            self._queue_clock,
            self._averaged,
            self._counts,
            self._state,
            self._release,
            self._ring,
            self._ramp,
            self._remaining,
        )

    def deepest_reduction_db(self, n_samples: int, first: int = 0) -> float:
        """Deepest gain reduction of the last block, or from a sample of it on, >= 0 dB."""
        return -gain_to_db(float(self._gains[0, first:n_samples].min()))

    def take_over(self, other: "Limiter") -> None:
        self._ramp[:] = other._ramp
        self._remaining[:] = other._remaining
        if self._ring.shape == other._ring.shape:
            for own, before in (
                (self._history, other._history),
                (self._queue, other._queue),
                (self._queue_clock, other._queue_clock),
                (self._averaged, other._averaged),
                (self._counts, other._counts),
                (self._state, other._state),
                (self._ring, other._ring),
            ):
                own[:] = before
