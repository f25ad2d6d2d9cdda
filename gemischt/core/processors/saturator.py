"""The saturator: a wave bent at eight times the rate."""

import math

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.dsp import shaping
from gemischt.core.dsp.mixing import delay_in_place, start_ramp
from gemischt.core.processors.base import Place
from gemischt.core.processors.eq import Equalizer
from gemischt.core.processors.eq_params import EqBand, EqParams
from gemischt.core.processors.saturator_params import SaturatorParams
from gemischt.core.units import db_to_gain

_STRONGEST_BIAS = 0.8


class Saturator:
    """Bends one or two channels in place.

    State: ``_kept`` (n_channels, 10, 64) the ends of the lines between the filters; ``_dry`` (n_channels, 51) the
    input that waits for them, its oldest sample at ``_dry_position``; ``_tone`` the filter behind the bend.
    """

    def __init__(self, place: Place) -> None:
        self._place = place
        n = place.n_channels
        self._kept = np.zeros((n, shaping.LINES, shaping.KEEP), np.float32)
        self._lines = np.zeros((shaping.LINES, shaping.KEEP + 4 * shaping.SEGMENT), np.float32)
        self._dry = np.zeros((n, shaping.LATENCY_SAMPLES))
        self._dry_position = np.zeros(1, np.int64)
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
        target = np.array(
            [
                db_to_gain(params.drive_db),
                _STRONGEST_BIAS * params.lean,
                db_to_gain(params.output_db),
                params.mix if on else 0.0,
            ]
        )
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
            self._kept,
            self._lines,
            self._ramp,
            self._remaining,
        )
        delay_in_place(audio, n_samples, self._dry, self._dry_position)
        self._tone.process(self._wet, self._wet, n_samples)
        shaping.blend_bent(audio, self._wet, n_samples, self._ramp, self._remaining)

    def take_over(self, other: "Saturator") -> None:
        self._ramp[:] = other._ramp
        self._remaining[:] = other._remaining
        self._tone.take_over(other._tone)
        if self._kept.shape == other._kept.shape:
            self._kept[:] = other._kept
            self._dry[:] = other._dry
            self._dry_position[:] = other._dry_position


def bend(params: SaturatorParams, level: float) -> float:
    """The static curve at a sample value, output and mix left out.

    >>> bend(SaturatorParams(drive_db=0.0), 0.0)
    0.0
    """
    drive, bias = db_to_gain(params.drive_db), _STRONGEST_BIAS * params.lean
    rest = math.tanh(bias)
    return (math.tanh(drive * level + bias) - rest) / (drive * (1.0 - rest * rest))
