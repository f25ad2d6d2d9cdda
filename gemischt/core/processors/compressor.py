"""The compressor: a detector decides, a gain follows.

Reference: Giannoulis, Massberg and Reiss, JAES 60(6), 2012 (see core.dsp.dynamics).
"""

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.dsp import dynamics
from gemischt.core.dsp.magnitude import highest_value
from gemischt.core.dsp.mixing import start_ramp
from gemischt.core.processors.base import Place
from gemischt.core.processors.compressor_params import CompressorParams
from gemischt.core.units import ms_to_samples, time_constant_to_coefficient

RMS_TIME_CONSTANT_MS = 10.0
_UNLIMITED_RANGE_DB = 400.0
_ANY_RATE_HZ = 48000
"""The static curve does not depend on it."""


def slope_of(ratio: float | None) -> float:
    """Reduction per dB of overshoot: 1 - 1/ratio; an endless ratio gives 1."""
    return 1.0 if ratio is None else 1.0 - 1.0 / ratio


def ramped_values(params: CompressorParams, sample_rate_hz: int) -> NDArray[np.float64]:
    """The ramped parameters in the order of core.dsp.dynamics."""
    unlimited = params.range_db is None
    return np.array(
        [
            params.threshold_db,
            slope_of(params.ratio),
            params.knee_db,
            _UNLIMITED_RANGE_DB if unlimited else params.range_db,
            params.makeup_db,
            params.mix,
            time_constant_to_coefficient(params.attack_ms, sample_rate_hz),
            time_constant_to_coefficient(params.release_ms, sample_rate_hz),
            params.stereo_link,
        ],
        dtype=np.float64,
    )


def static_curve_db(params: CompressorParams, inputs_db: NDArray[np.float64]) -> NDArray[np.float64]:
    """Output level for each steady input level, make-up and mix left out; shape as ``inputs_db``."""
    reduction = np.zeros((1, len(inputs_db)))
    resting = np.zeros((2, dynamics.N_RAMPED))
    resting[0] = ramped_values(params, _ANY_RATE_HZ)
    levels = np.ascontiguousarray(inputs_db, dtype=np.float64)[np.newaxis]
    dynamics.compute_reduction_db(levels, reduction, 1, len(inputs_db), resting, 0)
    outputs_db: NDArray[np.float64] = inputs_db - reduction[0]
    return outputs_db


class DynamicsProcessor:
    """Compresses one or two channels in place.

    ``reduction_db`` (2, max_block) holds the gain reduction of every sample of the last block, before make-up and mix.
    State: ``_smoothed_db`` and ``_held`` (2,) the last reduction and the hold left per stream; ``_mean_square`` (2,)
    the RMS detector; ``_ring`` (channels, lookahead) the audio waiting; its oldest sample is at ``_ring_position``.
    """

    def __init__(self, place: Place) -> None:
        self._sample_rate_hz = place.sample_rate_hz
        self._glide_samples = place.glide_samples
        self._ramp = np.zeros((2, dynamics.N_RAMPED))
        self._remaining = np.zeros(1, np.int64)
        self._smoothed_db = np.zeros(2)
        self._held = np.zeros(2, np.int64)
        self._mean_square = np.zeros(2)
        self._ring = np.zeros((place.n_channels, place.latency_samples))
        self._ring_position = np.zeros(1, np.int64)
        self._levels_db = np.zeros((2, place.max_block))
        self.reduction_db = np.zeros((2, place.max_block))
        self._params = CompressorParams()
        self._rms_feedback = time_constant_to_coefficient(RMS_TIME_CONSTANT_MS, place.sample_rate_hz)
        self._hold_samples = 0
        self.n_streams = 1

    @staticmethod
    def latency_of(params: CompressorParams, sample_rate_hz: int) -> int:
        return ms_to_samples(params.lookahead_ms, sample_rate_hz)

    @staticmethod
    def tail_of(params: CompressorParams, sample_rate_hz: int) -> int:
        return 0

    def set(self, params: CompressorParams, *, on: bool, glide: bool) -> None:
        """Aim at new parameters; off glides to the (delayed) input."""
        target = ramped_values(params, self._sample_rate_hz)
        if not on:
            target[dynamics.MIX] = 0.0
        start_ramp(self._ramp, self._remaining, target, self._glide_samples if glide else 0)
        self._params = params
        # What is decided early has to last until the end of what it was decided for.
        self._hold_samples = ms_to_samples(params.hold_ms, self._sample_rate_hz) + self._ring.shape[1]

    def process(self, audio: Audio, detector: Audio, n_samples: int) -> None:
        """Compress ``audio`` by the level of ``detector``, which may be the same array."""
        params = self._params
        matching = detector.shape[0] == 2 and audio.shape[0] == 2
        self.n_streams = dynamics.compress_block(
            audio,
            detector,
            self._levels_db,
            self.reduction_db,
            n_samples,
            matching,
            params.detector == "rms",
            self._rms_feedback,
            self._hold_samples,
            self._mean_square,
            self._ramp,
            self._remaining,
            self._smoothed_db,
            self._held,
            self._ring,
            self._ring_position,
        )

    def loudest_detected_db(self, n_samples: int, first: int = 0) -> float:
        """Loudest level the detector saw in the last block, or from a sample of it on, dBFS."""
        return highest_value(self._levels_db, self.n_streams, first, n_samples)

    def deepest_reduction_db(self, n_samples: int, first: int = 0) -> float:
        """Deepest gain reduction of the last block, or from a sample of it on, >= 0 dB."""
        return highest_value(self.reduction_db, self.n_streams, first, n_samples)

    def take_over(self, other: "DynamicsProcessor") -> None:
        """Continue where another instance of this compressor is."""
        self._ramp[:] = other._ramp
        self._remaining[:] = other._remaining
        self._smoothed_db[:] = other._smoothed_db
        self._held[:] = other._held
        self._mean_square[:] = other._mean_square
        if self._ring.shape == other._ring.shape:
            self._ring[:] = other._ring
            self._ring_position[:] = other._ring_position
