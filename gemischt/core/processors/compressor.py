"""The compressor: a detector decides, a gain follows.

Reference: Giannoulis, Massberg and Reiss, JAES 60(6), 2012 (see core.dsp.dynamics).
"""

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.control import Control, Row
from gemischt.core.dsp import dynamics
from gemischt.core.dsp.magnitude import highest_value
from gemischt.core.dsp.mixing import delay_in_place
from gemischt.core.dsp.table import Call
from gemischt.core.processors.base import BlockProcessor, Place, ReducesGain
from gemischt.core.processors.compressor_params import CompressorParams
from gemischt.core.units import ms_to_samples, time_constant_to_coefficient

RMS_TIME_CONSTANT_MS = 10.0
_UNLIMITED_RANGE_DB = 400.0
_ANY_RATE_HZ = 48000
"""The static curve does not depend on it."""


def slope_of(ratio: float | None) -> float:
    """Reduction per dB of overshoot: 1 - 1/ratio; an endless ratio gives 1."""
    return 1.0 if ratio is None else 1.0 - 1.0 / ratio


def coefs_of(params: CompressorParams, sample_rate_hz: int) -> Row:
    """The coefficients in the order of core.dsp.dynamics."""
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
            params.detector == "rms",
            ms_to_samples(params.hold_ms, sample_rate_hz),
        ],
        dtype=np.float64,
    )


def static_curve_db(params: CompressorParams, inputs_db: NDArray[np.float64]) -> NDArray[np.float64]:
    """Output level for each steady input level, make-up and mix left out; shape as ``inputs_db``."""
    reduction = np.zeros((1, len(inputs_db)))
    resting = coefs_of(params, _ANY_RATE_HZ)[np.newaxis]
    levels = np.ascontiguousarray(inputs_db, dtype=np.float64)[np.newaxis]
    no_pieces, one_stream = np.zeros((1, 3), np.int64), np.ones(1, np.int64)
    dynamics.compute_reduction_db(levels, reduction, len(inputs_db), no_pieces, resting, one_stream)
    outputs_db: NDArray[np.float64] = inputs_db - reduction[0]
    return outputs_db


class DynamicsProcessor(BlockProcessor, ReducesGain):
    """Compresses in place.

    ``reduction_db`` (n_channels, max_block) holds the gain reduction of every sample of the last block, before make-up
    and mix. State: the last reduction and the hold left per channel; the RMS detector; the audio that waits for the
    lookahead, (n_channels, lookahead).
    """

    def __init__(self, place: Place, audio: Audio, detector: Audio) -> None:
        self._sample_rate_hz = place.sample_rate_hz
        self._lookahead_samples = place.latency_samples
        n_channels, n_detected = len(audio), len(detector)
        matching = n_channels == n_detected
        rms_feedback = time_constant_to_coefficient(RMS_TIME_CONSTANT_MS, place.sample_rate_hz)
        control = Control(dynamics.N_COEFS, place.max_block, place.glide_samples, first_stepped=dynamics.HOLD)
        moving = (control.pieces, control.coefs)
        smoothed_db, held = np.zeros(n_channels), np.zeros(n_channels, np.int64)
        mean_square = np.zeros(n_detected)
        ring, ring_position = np.zeros((n_channels, place.latency_samples)), np.zeros(1, np.int64)
        self._levels_db = np.zeros((n_detected, place.max_block))
        self.reduction_db = np.zeros((n_channels, place.max_block))
        self._streams = np.ones(1, np.int64)
        self.controls = (control,)
        self.state = ((smoothed_db, held), (mean_square,), (ring, ring_position))
        levels, reduction, streams = self._levels_db, self.reduction_db, self._streams
        self.calls = (
            Call(dynamics.count_streams, *moving, matching, streams, smoothed_db, held),
            Call(dynamics.detect_levels_db, detector, levels, *moving, matching, rms_feedback, mean_square),
            Call(dynamics.compute_reduction_db, levels, reduction, *moving, streams),
            Call(dynamics.smooth_reduction, reduction, *moving, streams, smoothed_db, held),
            *([Call(delay_in_place, audio, ring, ring_position)] if place.latency_samples else []),
            Call(dynamics.apply_reduction, audio, reduction, *moving, streams),
        )

    @staticmethod
    def latency_of(params: CompressorParams, sample_rate_hz: int) -> int:
        return ms_to_samples(params.lookahead_ms, sample_rate_hz)

    def coefs_of(self, params: CompressorParams, *, on: bool) -> tuple[Row, ...]:
        coefs = coefs_of(params, self._sample_rate_hz)
        # What is decided early has to last until the end of what it was decided for.
        coefs[dynamics.HOLD] += self._lookahead_samples
        if not on:
            coefs[dynamics.MIX] = 0.0
        return (coefs,)

    @property
    def n_streams(self) -> int:
        """How many rows of ``reduction_db`` the last block has: one if all channels are turned down alike."""
        return int(self._streams[0])

    def loudest_detected_db(self, n_samples: int, first: int = 0) -> float:
        """Loudest level the detector saw in the last block, or from a sample of it on, dBFS."""
        return highest_value(self._levels_db, len(self._levels_db), first, n_samples)

    def deepest_reduction_db(self, n_samples: int, first: int = 0) -> float:
        return highest_value(self.reduction_db, self.n_streams, first, n_samples)
