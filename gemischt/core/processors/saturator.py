"""The saturator: a wave bent at sixteen times the rate."""

import math

import numpy as np
from numpy.polynomial.hermite import hermgauss

from gemischt.core.audio import Audio
from gemischt.core.dsp import shaping
from gemischt.core.dsp.mixing import delay_in_place, start_ramp
from gemischt.core.processors.base import Place
from gemischt.core.processors.eq import Equalizer
from gemischt.core.processors.eq_params import EqBand, EqParams
from gemischt.core.processors.saturator_params import SaturatorParams
from gemischt.core.units import db_to_gain

_STRONGEST_BIAS = 0.8
_LEAST_BEND = 1e-6
_OFFSET_CORNER_HZ = 2.0
MATCHED_RMS_DBFS = -18.0
"""Noise of this level leaves as loud as it came, if loudness is matched: the level strips are brought to."""
_NODES, _WEIGHTS = hermgauss(64)


def bend_and_rest(params: SaturatorParams) -> tuple[float, float]:
    """How steeply the curve bends, d - 1 / d of the drive's gain d, so that 0 dB bends nothing; and how it leans."""
    drive = db_to_gain(params.drive_db)
    return max(drive - 1.0 / drive, _LEAST_BEND), math.tanh(_STRONGEST_BIAS * params.lean)


def bend(params: SaturatorParams, level: float) -> float:
    """The static curve at a sample value, output and mix left out.

    >>> bend(SaturatorParams(drive_db=0.0), 0.5)
    0.5
    """
    steepness, rest = bend_and_rest(params)
    bent = math.tanh(steepness * level)
    return round(bent / (steepness * (1.0 + rest * bent)), 12)


def matching_gain(params: SaturatorParams) -> float:
    """What makes Gaussian noise of MATCHED_RMS_DBFS as loud after the bend as it was before, by its RMS."""
    steepness, rest = bend_and_rest(params)
    rms = db_to_gain(MATCHED_RMS_DBFS)
    bent = np.tanh(steepness * rms * math.sqrt(2.0) * _NODES)
    left = bent / (steepness * (1.0 + rest * bent))
    weights = _WEIGHTS / _WEIGHTS.sum()
    mean = float(weights @ left)
    return rms / math.sqrt(float(weights @ left**2) - mean * mean)


class Saturator:
    """Bends one or two channels in place.

    State: ``_kept`` (n_channels, 14, 64) the ends of the lines between the filters; ``_dry`` (n_channels, 52) the
    input that waits for them, its oldest sample at ``_dry_position``; ``_offset`` (n_channels, 2) of the high-pass
    that takes out what the bend adds and stands still; ``_tone`` the filter behind it.
    """

    def __init__(self, place: Place) -> None:
        self._place = place
        n = place.n_channels
        self._kept = np.zeros((n, shaping.LINES, shaping.KEEP), np.float32)
        self._lines = np.zeros((shaping.LINES, shaping.KEEP + 8 * shaping.SEGMENT), np.float32)
        self._dry = np.zeros((n, shaping.LATENCY_SAMPLES))
        self._dry_position = np.zeros(1, np.int64)
        self._offset = np.zeros((n, 2))
        self._offset_feedback = math.exp(-2.0 * math.pi * _OFFSET_CORNER_HZ / place.sample_rate_hz)
        self._wet = np.zeros((n, place.max_block))
        self._ramp = np.zeros((2, 4))
        self._remaining = np.zeros(1, np.int64)
        self._tone = Equalizer(place)

    @staticmethod
    def latency_of(params: SaturatorParams, sample_rate_hz: int) -> int:
        return shaping.LATENCY_SAMPLES

    @staticmethod
    def tail_of(params: SaturatorParams, sample_rate_hz: int) -> int:
        return shaping.LATENCY_SAMPLES

    def set(self, params: SaturatorParams, *, on: bool, glide: bool) -> None:
        output = db_to_gain(params.output_db) * (matching_gain(params) if params.match_loudness else 1.0)
        target = np.array([*bend_and_rest(params), output, params.mix if on else 0.0])
        start_ramp(self._ramp, self._remaining, target, self._place.glide_samples if glide else 0)
        bands = () if params.tone_hz is None else (EqBand(shape="high-cut", frequency_hz=params.tone_hz),)
        self._tone.set(EqParams(bands=bands), on=True, glide=glide)

    def process(self, audio: Audio, detector: Audio, n_samples: int) -> None:
        shaping.saturate(
            audio,
            n_samples,
            self._wet,
            shaping.FIRST,
            shaping.SECOND,
            shaping.THIRD,
            shaping.FOURTH,
            self._kept,
            self._lines,
            self._ramp,
            self._remaining,
        )
        delay_in_place(audio, n_samples, self._dry, self._dry_position)
        shaping.take_offset_out(self._wet, audio, n_samples, self._offset_feedback, self._offset)
        self._tone.process(self._wet, self._wet, n_samples)
        shaping.blend_bent(audio, self._wet, n_samples, self._ramp, self._remaining)

    def take_over(self, other: "Saturator") -> None:
        self._ramp[:] = other._ramp
        self._remaining[:] = other._remaining
        self._tone.take_over(other._tone)
        if self._kept.shape == other._kept.shape:
            self._kept[:] = other._kept
            self._dry[:] = other._dry
            self._offset[:] = other._offset
            self._dry_position[:] = other._dry_position
